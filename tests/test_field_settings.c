/* What the drives of a field bus are set to: by the rig, by others, by data sheets. */
#define _GNU_SOURCE
#include "support_field.h"

/* What is set at the drive itself is asked for, listed, and never told. */
START_TEST(what_is_set_elsewhere_is_only_asked_for) {
    open_bench();
    write_rig(LINE);
    run_command(said, sizeof said,
                "sed -i -e 's/counts: 4000/counts: 4000, switches: [down, up, any], switches-at: "
                "2001h/' -e 's/value: 4000}/value: 4000}, {object: 2000h, bytes: 1, is: 2}/' %s",
                rig);
    int status = run_command(said, sizeof said, "%s field settings %s --write", TEST_TOOL, rig);
    ck_assert_msg(status == 1 && strstr(said, "2 of 12 differ") != NULL, "%s", said);
    FILE *file = fopen(plan, "w");
    fputs("belt turn 90deg\n", file);
    fclose(file);
    static const char *const words[] = {"has object 2000h:0 at 0 (0h)", "has switch 1 up",
                                        "Something else commands this drive"};
    for (size_t i = 0; i < sizeof words / sizeof *words; i++) {
        status = run_command(said, sizeof said, "%s run --real --confirmed --powered %s %s",
                             TEST_TOOL, rig, plan);
        ck_assert_msg(status == 2 && strstr(said, words[i]) != NULL, "%s: %d: %s", words[i], status,
                      said);
        if (i == 0) {
            field(0, "2", "object", "5 2000h 2 --bytes=1");
        } else {
            run_command(said, sizeof said, "sed -i 's/switches: .down/switches: [up/' %s", rig);
        }
    }
    field(0, "switch", "object", "5 status-word"); /* not enabled */
    close_bench();
}
END_TEST

START_TEST(a_drive_that_counts_otherwise_is_not_driven) {
    open_bench();
    write_rig(LINE);
    run_command(said, sizeof said, "sed -i 's/counts: 4000/counts: 2000/' %s", rig);
    int status = run_command(said, sizeof said, "%s field settings %s", TEST_TOOL, rig);
    ck_assert_msg(status == 1 && strstr(said, "counts 4000 in a turn") != NULL, "%s", said);
    FILE *file = fopen(plan, "w");
    fputs("belt turn 90deg\n", file);
    fclose(file);
    status = run_command(said, sizeof said, "%s run --real --confirmed --powered %s %s", TEST_TOOL,
                         rig, plan);
    ck_assert_msg(status == 2 && strstr(said, "Expected counts: 4000") != NULL, "%s", said);
    field(0, "switch", "object", "5 status-word"); /* not enabled */
    close_bench();
}
END_TEST

/* What some drives say of their factors: 608Fh, 6091h, 6092h, both halves; 0: they have none. */
static const struct {
    uint32_t encoder[2], gear[2], feed[2];
    double counts;
} factors[] = {
    {{4000, 1}, {0}, {0}, 4000},
    {{40000, 10}, {0}, {0}, 4000},
    {{4000, 1}, {10, 1}, {3600, 1}, 360},
    {{4000, 1}, {0}, {3600, 1}, 3600},
    {{0}, {10, 1}, {0}, 0},
    {{4000, 0}, {0}, {0}, 0},
    {{4000, 1}, {3, 0}, {1000, 2}, 500},
};

static bool tell_factor(void *context, uint16_t index, uint8_t sub, uint32_t *value) {
    int i = *(int *)context;
    const uint32_t *both = index == 0x608F   ? factors[i].encoder
                           : index == 0x6091 ? factors[i].gear
                                             : factors[i].feed;
    *value = both[sub - 1];
    return both[0] != 0;
}

START_TEST(a_drives_units_follow_from_its_factors) {
    ck_assert_double_eq_tol(wpin_drive_counts(tell_factor, &_i), factors[_i].counts, 1e-9);
}
END_TEST

#define SHEET TEST_SOURCE "/demo/simulated-drive.eds"

/* A second drive like the first, as node 6. */
static void open_two(void) {
    snprintf(place, sizeof place, "%s", scratch("line"));
    snprintf(rig, sizeof rig, "%s", scratch("two.yaml"));
    int status =
        run_command(said, sizeof said,
                    "sed '/^  filler:/,$d' %s > %s; sed -n '/^  belt:/,/^  filler:/p' %s | "
                    "sed -e '$d' -e 's/belt:/lift:/' -e 's/node: 5/node: 6/' >> %s",
                    LINE, rig, LINE, rig);
    ck_assert_msg(status == 0, "%s", said);
    start(rig);
}

START_TEST(parameters_are_saved_compared_and_copied) {
    open_two();
    const char *kept = scratch("kept");
    char save[240], like[240];
    snprintf(save, sizeof save, "5 --save=%s --eds=" SHEET, kept);
    snprintf(like, sizeof like, "6 --like=%s", kept);
    field(0, "44444", "object", "5 acceleration 44444");
    field(0, "29 parameters, written to", "parameters", save);
    field(1, "1 of 29 differ", "parameters", like);
    field(1, "as it should be: 44444 velocity units a second", "parameters", "6 --like-node=5");
    field(0, "0 of 30 differ; stored in the drive", "parameters",
          "6 --like-node=5 --write --store");
    field(0, "44444", "object", "6 acceleration");
    field(0, "0 of 29 differ", "parameters", like);
    field(0, "\"like\": 44444", "parameters", "6 --like-node=5 --json");
    FILE *file = fopen(kept, "a");
    fputs("- {object: 9999h, value: 1, bytes: 2}\n- {object: 608Fh:1, value: 1}\n", file);
    fclose(file);
    field(1, "it has no such object", "parameters", like);
    strcat(like, " --write");
    field(1, "refuses object 608Fh:1 (abort 06010002h)", "parameters", like);
    field(2, "like what?", "parameters", "6 --write");
    field(2, "that is the node itself", "parameters", "6 --like-node=6");
    field(1, "node 7 does not answer", "parameters", "7");
    field(2, "README.md:", "parameters", "6 --like=" TEST_SOURCE "/README.md");
    close_bench();
}
END_TEST

/* What a data sheet must have, and what is said where it has not. */
static const struct {
    const char *text, *words;
} sheets[] = {{"", "it describes no object"},
              {"[6083]\nParameterName=a\nDataType=0x1F\nAccessType=rw\n", "describes no object"},
              {"what\n", ":1: no line of a data sheet"},
              {"[6083]\nParameterName=up\nObjectType=0x7\nDataType=7\nAccessType=ro\n",
               "can only be read, by its data sheet"},
              {"[6083]\nDataType=7\nAccessType=rw\nHighLimit=0x10\n", "at most 16"},
              {"[6083]\nDataType=7\nAccessType=rw\nLowLimit=$NODEID+3\n", "40000"}};

START_TEST(a_data_sheet_names_objects_and_limits) {
    open_bench();
    for (size_t i = 0; i < sizeof sheets / sizeof *sheets; i++) {
        char rest[300];
        snprintf(rest, sizeof rest, "5 6083 40000 --eds=%s",
                 write_file("sheet.eds", sheets[i].text));
        field(i + 1 == sizeof sheets / sizeof *sheets ? 0 : 2, sheets[i].words, "object", rest);
    }
    field(2, "none.eds can not be read", "object", "5 6083 --eds=none.eds");
    field(0, "source-of-commands: 0", "object", "5 Source-of-commands --eds=" SHEET);
    field(2, "3 is too large, by its data sheet at most 2", "object",
          "5 source-of-commands 3 --eds=" SHEET);
    field(2, "did you mean 'source-of-commands'", "object", "5 source-of-comands --eds=" SHEET);
    /* The one that ships is that of the simulated drive, and all in it is there. */
    const char *fresh = scratch("fresh.eds");
    int status = run_command(said, sizeof said, "%s field drives --eds=%s && cmp %s %s", TEST_TOOL,
                             fresh, fresh, SHEET);
    ck_assert_msg(status == 0, "%s", said);
    char why[300];
    wpin_eds *eds = wpin_eds_read(SHEET, why, sizeof why);
    ck_assert_msg(eds != NULL, "%s", why);
    size_t count;
    const wpin_eds_object *objects = wpin_eds_objects(eds, &count);
    ck_assert_uint_gt(count, 80);
    for (size_t i = 0; i < count; i += 3) {
        char rest[80], bytes[40];
        snprintf(rest, sizeof rest, "5 %X:%u --json", objects[i].known.index, objects[i].known.sub);
        snprintf(bytes, sizeof bytes, "\"bytes\": %u", objects[i].known.bytes);
        field(0, objects[i].known.bytes > 0 ? bytes : "bytes", "object", rest);
    }
    wpin_eds_free(eds);
    close_bench();
}
END_TEST

START_TEST(a_rig_reads_the_data_sheet_beside_it) {
    const char *sheet = scratch("drive.eds"), *file = scratch("with.yaml");
    static const struct {
        const char *more;
        int status;
        const char *words;
    } rows[] = {{"{object: source-of-commands, value: 0}", 0, "2 settings"},
                {"{object: Source of commands, value: 3}", 2, "3 is too large"},
                {"{object: 2001h, value: 0}", 2, "can only be read"},
                {"{object: 2001h, is: 0}", 0, "2 settings"},
                {"{object: sourc-of-commands, value: 3}", 2, "did you mean 'source-of-commands'"}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        int status = run_command(
            said, sizeof said,
            "cp %s %s; sed -e 's/counts: 4000,/counts: 4000, eds: drive.eds,/' -e 's/value: "
            "4000}/value: 4000}, %s/' %s > %s; %s rig %s",
            SHEET, sheet, rows[i].more, LINE, file, TEST_TOOL, file);
        ck_assert_msg(status == rows[i].status && strstr(said, rows[i].words) != NULL, "%s: %d: %s",
                      rows[i].more, status, said);
    }
    remove(sheet);
    int status = run_command(said, sizeof said, "%s rig %s", TEST_TOOL, file);
    ck_assert_msg(status == 2 && strstr(said, "drive.eds can not be read") != NULL, "%s", said);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("field_settings");
    TCase *tests = tcase_create("socket");
    tcase_set_timeout(tests, 120);
    tcase_add_test(tests, a_drive_that_counts_otherwise_is_not_driven);
    tcase_add_loop_test(tests, a_drives_units_follow_from_its_factors, 0,
                        sizeof factors / sizeof *factors);
    tcase_add_test(tests, parameters_are_saved_compared_and_copied);
    tcase_add_test(tests, a_data_sheet_names_objects_and_limits);
    tcase_add_test(tests, a_rig_reads_the_data_sheet_beside_it);
    tcase_add_test(tests, what_is_set_elsewhere_is_only_asked_for);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
