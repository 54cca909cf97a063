/* Two motors that are to turn alike: by how much one is faster, the trim that mends it, and what a
 * trim then does to everything that asks for a duty. */
#include "support_tool.h"
#include <math.h>
#include <windpin/host/response.h>
#include <windpin/host/twins.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

/* Two belts alike; what stands behind `with` is put under the second. */
static const char *belts(const char *with) {
    static char text[4000];
    static const char belt[] =
        "  %s:\n    supply: main\n"
        "    stage: {kind: two-inputs-slow, pins: {in1: %d, in2: %d}, pwm: 20kHz}\n"
        "    driver: {on-resistance: 200mohm, current-limit: 8A, voltage-limit: 24V}\n"
        "    motor: {resistance: 1.6ohm, inductance: 1.5mH, constant: 24mNm/A, inertia: 120gcm2, "
        "static-friction: 8mNm, dry-friction: 6mNm, gear: 30, gear-efficiency: 75%%, "
        "load: {torque: 0.3Nm, inertia: 2000gcm2}}\n"
        "    encoder: {lines: 11, pins: {a: %d, b: %d}}\n"
        "    ramp: {up: 500ms, down: 500ms}\n    rest: 1s\n%s";
    size_t used =
        (size_t)snprintf(text, sizeof text,
                         "rig: belts\ncontroller: {logic: 5V}\nsupplies:\n  main: {voltage: 12V, "
                         "resistance: 50mohm, "
                         "switch: off}\ninputs:\n  knob: {analog: 0}\nloads:\n");
    used += (size_t)snprintf(text + used, sizeof text - used, belt, "left", 4, 5, 20, 21, "");
    snprintf(text + used, sizeof text - used, belt, "right", 6, 7, 22, 23, with);
    return write_file("belts.yaml", text);
}

static wpin_rig *rig_of(const char *path) {
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(path, &m);
    ck_assert_msg(rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_messages_free(&m);
    return rig;
}

/* ---- the trim ---- */

static const int both[2] = {0, 1};

/* Whatever the two are, within a tenth: the trim brings them nearer, and what it leaves was tried.
 */
START_TEST(a_trim_brings_twins_together) {
    char why[400];
    wpin_rig *rig = rig_of(belts("")),
             *one = wpin_bench_vary(rig, 0, 0.1, (unsigned)(2 * _i + 1), true),
             *bench = wpin_bench_vary(one, 1, 0.1, (unsigned)(2 * _i + 2), true);
    wpin_twins t, again;
    ck_assert_msg(wpin_twins_try(rig, bench, both, &t, why, sizeof why), "%s", why);
    ck_assert(t.trim > 0.7 && t.trim <= 1 && t.count == 8);
    ck_assert_msg(t.left <= t.most && t.left < 0.04, "%g of %g", t.left, t.most);
    ck_assert_msg(t.most < 0.02 || t.left < t.most / 3, "%g of %g", t.left, t.most);
    ck_assert(t.apart[0] >= 0 && fabs(t.apart[0] - t.apart[1]) < 0.01);
    for (size_t i = 0; i < t.count; i++) { /* encoders have no part in it, nor has the order */
        ck_assert_double_le(t.places[i].of[0].rough, 1e-3);
    }
    ck_assert(wpin_twins_try(rig, bench, (const int[]){1, 0}, &again, why, sizeof why));
    ck_assert_int_eq(again.faster, 1 - t.faster);
    ck_assert_double_eq_tol(again.trim, t.trim, 1e-9);
    wpin_bench_free(bench);
    wpin_bench_free(one);
    wpin_rig_free(rig);
}
END_TEST

/* By hand: speeds on straight lines. */
START_TEST(straight_lines_are_judged_as_by_hand) {
    static const struct {
        double gain[2], offset[2]; /* rpm at all duty, and from the axis */
        int faster;
        double trim, most, left;
    } rows[] = {
        {{100, 100}, {0, 0}, 0, 1, 0, 0},
        {{100, 90}, {0, 0}, 0, 0.9, 0.1, 0},
        {{80, 100}, {-10, -10}, 1, 0.8, 20.0 / 90, 0}, /* the same friction, another constant */
        {{100, 100}, {-10, -20}, 0, 0.88, 10.0 / 90, 2.8 / 90}, /* another friction */
    };
    for (size_t r = 0; r < COUNT(rows); r++) {
        char why[400];
        wpin_twins t = {.count = 6};
        for (size_t i = 0; i < t.count; i++) {
            double duty = (i < 3 ? 1 : -1) * (0.6 + 0.2 * (double)(i % 3));
            t.places[i].duty = duty;
            for (int k = 0; k < 2; k++) {
                t.places[i].of[k].rpm =
                    copysign(rows[r].gain[k] * fabs(duty) + rows[r].offset[k], duty);
            }
        }
        ck_assert_msg(wpin_twins_judge(&t, why, sizeof why), "%s", why);
        ck_assert_int_eq(t.faster, rows[r].faster);
        ck_assert_double_eq_tol(t.trim, rows[r].trim, 1.1e-3);
        ck_assert_double_eq_tol(t.most, rows[r].most, 1e-9);
        ck_assert_double_eq_tol(t.left, rows[r].left, 2e-3);
    }
}
END_TEST

START_TEST(what_can_not_be_judged_is_refused) {
    static const struct {
        double duty[2], left[2], right[2];
        const char *says;
    } rows[] = {
        {{0.5, 1}, {0, 0}, {0, 0}, "at which both turn"},
        {{0.5, 0.52}, {50, 52}, {50, 52}, "at least 5 % apart"},
        {{0.5, -1}, {50, -100}, {50, -100}, "takes two duties one way"},
        {{0.5, 1}, {50, 100}, {-50, -100}, "against each other"},
        {{0.5, 1}, {50, 100}, {20, 40}, "more than twice as fast"},
    };
    for (size_t r = 0; r < COUNT(rows); r++) {
        char why[400] = "";
        wpin_twins t = {.count = 2};
        for (int i = 0; i < 2; i++) {
            t.places[i] = (wpin_twin_place){rows[r].duty[i],
                                            {{.rpm = rows[r].left[i]}, {.rpm = rows[r].right[i]}}};
        }
        bool judged = wpin_twins_judge(&t, why, sizeof why);
        ck_assert_msg(!judged && strstr(why, rows[r].says) != NULL, "%zu: %s", r, why);
    }
}
END_TEST

/* ---- the command ---- */

/* On a bench whose right belt runs heavily; recorded, trimmed, recorded again. */
START_TEST(a_record_is_trimmed_by) {
    char rig[300], plan[300], heavy[4000], csv[300];
    snprintf(rig, sizeof rig, "%s", belts(""));
    snprintf(csv, sizeof csv, "%s", scratch("belts.csv"));
    snprintf(plan, sizeof plan, "%s",
             write_file("belts.plan", "main on\nleft, right ramp 50%\nwait 3s\nleft, right ramp "
                                      "90%\nwait 3s\nleft, right stop\n"));
    snprintf(
        heavy, sizeof heavy,
        "cd $(dirname %s) && sed '/^  right:/,$ s/torque: 0.3Nm/torque: 0.36Nm/' %s > heavy.yaml"
        " && " TEST_TOOL " run heavy.yaml %s --trace %s --json > /dev/null",
        rig, rig, plan, csv);
    ck_assert_int_eq(run_command(output, sizeof output, "%s", heavy), 0);
    tool(0,
         SAYS("left turns faster than right", "right draws 14 % more current", "as recorded",
              "under left:", "    trim: 9", "Stored in"),
         "twins %s left right --record %s --write", rig, csv);
    tool(0, SAYS("  trim        9"), "rig %s", rig);
    ck_assert_int_eq(run_command(output, sizeof output, "%s", heavy), 0);
    tool(0, SAYS("They need no other trim", "   +50.0"), "twins %s left right --record %s", rig,
         csv);
    ck_assert_ptr_null(strstr(output, "For the rig"));
    ck_assert_int_eq(run_command(output, sizeof output,
                                 "sed -i 's/trim: 9[0-9.]*%%/trim: 60%% # old/' %s && %s", rig,
                                 heavy),
                     0);
    tool(0,
         SAYS("The trims of the rig were at work.", "right turns faster than left", "under left:"),
         "twins %s left right --record %s --write", rig,
         csv); /* a trim that is there is replaced */
    tool(0, SAYS("  trim        96.2 %"), "rig %s", rig);
    tool(0, SAYS("\"faster\": \"", "\"trim_percent\": 100.0", "\"rough_percent\""),
         "twins %s left right --json", rig);
}
END_TEST

START_TEST(the_command_refuses_in_words) {
    const char *rig = belts("");
    tool(2, SAYS("expected a rig and the names of two loads"), "twins %s left", rig);
    tool(2, SAYS("'left' is no twin of itself"), "twins %s left LEFT", rig);
    tool(2, SAYS("describes no load 'belt'"), "twins %s left belt", rig);
    tool(2, SAYS("expected --record or --spread, not both"),
         "twins %s left right --record x.csv --spread 3%%", rig);
    tool(1, SAYS("can't be read"), "twins %s left right --record x.csv", rig);
    tool(1, SAYS("'lamp' is not a motor"), "twins " HOUSE " pump lamp");
    tool(0, SAYS("They turn alike"), "twins %s left right", rig);
}
END_TEST

/* ---- what a trim does ---- */

#define KNOB(follows)                                                                              \
    "parallel\n track\n " follows "\n end\n track\n wait 500ms\n knob turn 50%\n end\nend\n"

/* Every duty that a plan asks for, by number, by word or by a knob; no speed. */
START_TEST(a_trim_is_in_every_duty) {
    static const struct {
        const char *with, *plan, *says;
    } rows[] = {
        {"    trim: 80%\n", "right ramp 50%\nright hold 1s\n", "+40.0 %"},
        {"    trim: 80%\n", "right run reverse 50% for 2s\n", "-40.0 %"},
        {"    trim: 80%\n", "right on for 2s\n", "+80.0 %"},
        {"    trim: 80%\n    on-duty: 60%\n", "right on for 2s\n", "+48.0 %"},
        {"    trim: 80%\n    duty-limit: 90%\n", "right ramp 90%\nright hold 1s\n", "+72.0 %"},
        {"    trim: 80%\n", KNOB("right follow knob for 3s"), "up to 39 %"},
        {"    trim: 80%\n", KNOB("right follow knob up to 50% for 3s"), "up to 19 %"},
        {"    trim: 80%\n    speed: {rated: 90rpm}\n", "right ramp 60rpm\nright hold 1s\n",
         "+60 rpm"},
    };
    for (size_t i = 0; i < COUNT(rows); i++) {
        char plan[400], command[700];
        snprintf(plan, sizeof plan, "main on\n%sright stop\n", rows[i].plan);
        snprintf(command, sizeof command, TEST_TOOL " run %s %s", belts(rows[i].with),
                 write_file("trim.plan", plan));
        int status = run_command(output, sizeof output, "%s", command);
        ck_assert_msg(status == 0 && strstr(output, rows[i].says) != NULL, "%zu: %d %s", i, status,
                      output);
    }
    const char *plan = write_file("low.plan", "main on\nright ramp 22%\nright hold 1s\n");
    tool(2, SAYS("22 % does not get 'right' moving; expected 25 % or more"), "run %s %s",
         belts("    trim: 80%\n    start: {duty: 20%, below: refuse}\n"), plan);
    tool(0, SAYS("#define right_TRIMMED(duty) ((wpin_duty)((int32_t)(duty) * 13107 / "),
         "export %s", belts("    trim: 80%\n"));
}
END_TEST

int main(void) {
    Suite *suite = suite_create("twins");
    TCase *tests = tcase_create("twins");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, a_trim_brings_twins_together, 0, 20);
    tcase_add_test(tests, straight_lines_are_judged_as_by_hand);
    tcase_add_test(tests, what_can_not_be_judged_is_refused);
    tcase_add_test(tests, a_record_is_trimmed_by);
    tcase_add_test(tests, the_command_refuses_in_words);
    tcase_add_test(tests, a_trim_is_in_every_duty);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
