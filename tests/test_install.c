/* The installed tree: program, demo, and a program of somebody else's built both ways. */
#include "support.h"
#include <string.h>
#include <windpin/host/rig.h>

static char output[20000];

static void must(int status, const char *what) {
    ck_assert_msg(status == 0, "%s: %s", what, output);
}

START_TEST(the_installed_tree_serves_others) {
    char prefix[512], build[512];
    snprintf(prefix, sizeof prefix, "%s", scratch("prefix"));
    snprintf(build, sizeof build, "%s", scratch("outside-build"));
    const char *rig = TEST_SOURCE "/demo/honey-pump.yaml";
    must(run_command(output, sizeof output, "cmake --install %s --prefix %s", TEST_BUILD, prefix),
         "install");
    must(run_command(output, sizeof output,
                     "P=$(dirname $(find %s -name windpin.pc)) && export PKG_CONFIG_PATH=$P && "
                     "cc -o %s/shared %s/tests/outside/outside.c $(pkg-config --cflags --libs "
                     "windpin) -Wl,-rpath,$(pkg-config --variable=libdir windpin) && %s/shared %s",
                     prefix, prefix, TEST_SOURCE, prefix, rig),
         "pkg-config, shared");
    ck_assert_str_eq(output, "honey pump, 1 load, WPIN_OK\n");
    must(run_command(output, sizeof output,
                     "P=$(dirname $(find %s -name windpin.pc)) && export PKG_CONFIG_PATH=$P && "
                     "L=$(pkg-config --variable=libdir windpin) && "
                     "cc -o %s/static %s/tests/outside/outside.c $(pkg-config --cflags windpin) "
                     "$L/libwindpin.a $(pkg-config --libs --static windpin | sed "
                     "'s/-lwindpin//') && %s/static %s",
                     prefix, prefix, TEST_SOURCE, prefix, rig),
         "pkg-config, static");
    ck_assert_str_eq(output, "honey pump, 1 load, WPIN_OK\n");
    must(run_command(output, sizeof output,
                     "cmake -S %s/tests/outside -B %s -DCMAKE_PREFIX_PATH=%s && cmake --build %s",
                     TEST_SOURCE, build, prefix, build),
         "find_package");
    must(run_command(output, sizeof output, "%s/outside %s && %s/outside_static %s", build, rig,
                     build, rig),
         "outside");
    ck_assert_str_eq(output, "honey pump, 1 load, WPIN_OK\nhoney pump, 1 load, WPIN_OK\n");
    must(run_command(output, sizeof output, "cd %s && bin/windpin demo -o out && ls out", prefix),
         "installed demo");
    ck_assert_ptr_nonnull(strstr(output, "share/windpin/demo/honey-pump.plan"));
    ck_assert_ptr_nonnull(strstr(output, "pump.png"));
    must(run_command(output, sizeof output,
                     "ln -s %s/bin/windpin %s/elsewhere && cd / && %s/elsewhere live --help",
                     prefix, prefix, prefix),
         "its other program, found from anywhere");
    ck_assert_ptr_nonnull(strstr(output, "Usage: windpin live [OPTION...] RIG [PLAN]"));
    int status = run_command(output, sizeof output,
                             "cd %s && rm -r libexec && bin/windpin live share/windpin/demo/"
                             "honey-pump.yaml < /dev/null",
                             prefix);
    ck_assert_int_eq(status, 2);
    ck_assert_ptr_nonnull(strstr(output, "windpin-live is neither beside this one nor at"));
}
END_TEST

/* Alone in C, and all together in C++. */
START_TEST(every_header_stands_by_itself) {
    must(
        run_command(output, sizeof output,
                    "cd " TEST_SOURCE "/include && for h in $(find windpin -name '*.h' ! -path "
                    "'*/impl/*'); do printf '#include <%%s>\\nint here;\\n' $h | cc -std=c11 -Wall "
                    "-Wextra -Wpedantic "
                    "-Werror -I. -fsyntax-only -x c - || exit 1; done"),
        "a header alone");
    must(run_command(output, sizeof output,
                     "cd " TEST_SOURCE "/include && find windpin -name '*.h' ! -path '*/impl/*' | "
                     "sed 's/.*/#include <&>/' > %s && for std in c++11 c++20; do g++ -std=$std "
                     "-Wall -Wextra -Wpedantic -Werror -I. -fsyntax-only -x c++ %s || exit 1; done",
                     scratch("all.cpp"), scratch("all.cpp")),
         "C++");
}
END_TEST

START_TEST(the_example_of_the_readme_compiles) {
    must(run_command(output, sizeof output,
                     "sed -n '/^```c$/,/^```$/{/^```/d;p}' " TEST_SOURCE "/README.md > %s && "
                     "test -s %s && cc -std=c11 -Wall -Wextra -Wpedantic -Werror -I" TEST_SOURCE
                     "/include -c %s -o /dev/null",
                     scratch("readme.c"), scratch("readme.c"), scratch("readme.c")),
         "the README's example");
}
END_TEST

/* One of two loads with one standby. */
#define HALF(name, enable)                                                                         \
    "  " name ": {supply: main, stage: {kind: two-inputs-enable-standby, pwm: 20kHz, pins: "       \
    "{standby: {pin: 2, shared: yes}, in1: 1" enable ", in2: 2" enable ", enable: " enable         \
    "}}, driver: {on-resistance: 0.1ohm, current-limit: 9A, voltage-limit: 30V}, motor: "          \
    "{resistance: 2ohm, inductance: 1mH, constant: 20mNm/A, inertia: 90gcm2}, ramp: {up: 1s, "     \
    "down: 1s}, rest: 1s}\n"

/* The exported table compiles without a warning, and the core opens every load with it. */
START_TEST(the_exported_table_compiles_and_runs) {
    static const char own[] =
        "rig: own\nsupplies: {main: {voltage: 12V, resistance: "
        "0.1ohm}}\nloads:\n  twin-1:\n    supply: "
        "main\n    stage: {kind: own-table, pwm: 20kHz, dead-time: 2us, "
        "pins: {ah: 5, al: 6, bl: 7}, table: "
        "{lines: [ah, al, bl], driver: direction-pwm-brake, legs: [[ah, "
        "al]], rows: {coast: [low, low, low], "
        "forward: [duty, low, high]}}}\n    driver: {on-resistance: 0.1ohm, "
        "current-limit: 9A, voltage-limit: "
        "30V}\n    motor: {resistance: 2ohm, inductance: 1mH, constant: "
        "20mNm/A, inertia: 90gcm2}\n    ramp: "
        "{up: 1s, down: 1s}\n    rest: 1s\n" HALF("near", "8") HALF("far", "9");
    static const char program[] =
        "#include \"house.h\"\n#include \"own.h\"\n#include <stdio.h>\n#include "
        "<windpin/host/sim.h>\n"
        "int main(void) {\n"
        "    wpin_sim *sim = wpin_sim_new(&(wpin_part_controller){5, 25, 0.04, 16e6, 65535, 0});\n"
        "    wpin_port port = wpin_sim_port(sim);\n"
        "    const wpin_motor_config *all[] = {&pump_motor, &conveyor_motor, &gate_motor, "
        "&fan_motor,\n"
        "        &ventilator_motor, &lamp_motor, &latch_motor, &twin_1_motor, "
        "&near_motor,\n        &far_motor};\n"
        "    static wpin_motor m;\n"
        "    for (int i = 0; i < 10; i++) { printf(\"%d\", (int)wpin_motor_init(&m, all[i], "
        "&port)); }\n"
        "    printf(\"%d %08lx %u\\n\", (int)wpin_motor_init(&m, &turntable_motor, &port),\n"
        "           WPIN_RIG_FINGERPRINT, (unsigned)pump_motor.guard.current_trip);\n    return "
        "near_lines[0].shared != far_lines[0].shared;\n}\n";
    const char *own_rig = write_file("own.yaml", own), *c = write_file("main.c", program);
    must(run_command(output, sizeof output,
                     TEST_TOOL " export " TEST_SOURCE "/demo/honey-house.yaml -o %s && " TEST_TOOL
                               " export %s -o %s && sed -i 's/RIG_/OWN_/g; s/\\brig_/own_/g' %s",
                     scratch("house.h"), own_rig, scratch("own.h"), scratch("own.h")),
         "export");
    must(run_command(
             output, sizeof output,
             "cc -std=c11 -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -I" TEST_SOURCE
             "/include %s " TEST_BUILD "/libwindpin.a -lyaml -linih -lm -o %s && %s && " TEST_TOOL
             " rig " TEST_SOURCE "/demo/honey-house.yaml | head -1",
             c, scratch("exported"), scratch("exported")),
         "the exported table");
    char print[16] = "";
    ck_assert_msg(strncmp(output, "00000000000 ", 12) == 0, "%s", output);
    snprintf(print, sizeof print, "rig %.8s", output + 12);
    ck_assert_msg(strstr(output, print) != NULL && strstr(output, " 2400\n") != NULL, "%s", output);
}
END_TEST

/* An exported plan is, step for step, the one that a rehearsal runs. */
START_TEST(an_exported_plan_is_the_plan) {
    static const char program[] =
        "#include \"plan.h\"\n#include <windpin/host/plan.h>\n"
        "int main(int argc, char **argv) {\n    wpin_messages m = {0};\n    wpin_rig *rig = "
        "wpin_rig_read(argv[argc - 2], &m);\n    wpin_plan *p = wpin_plan_read(argv[argc - 1], "
        "rig, "
        "&m);\n    if (p->step_count != STEPS || p->track_count != TRACKS) { return 1; }\n"
        "    for (unsigned i = 0; i < STEPS; i++) {\n        const wpin_step *a = &p->steps[i], *b "
        "= "
        "&TABLE[i];\n        if (a->op != b->op || a->quantity != b->quantity || a->value != "
        "b->value "
        "|| a->target.kind != b->target.kind ||\n            a->target.number != b->target.number "
        "|| "
        "a->ramp_us != b->ramp_us || a->time_ms != b->time_ms ||\n            a->until != b->until "
        "|| "
        "a->until_of != b->until_of || a->until_ma != b->until_ma) { return 2 + (int)i; }\n    }\n"
        "    wpin_plan_free(p);\n    wpin_rig_free(rig);\n    return 0;\n}\n";
    static const char *const demos[][2] = {
        {"honey-pump", "honey_pump"}, {"honey-house", "honey_house"}, {"honey-gate", "honey_gate"}};
    for (size_t i = 0; i < sizeof demos / sizeof *demos; i++) {
        char rig[200], plan[200];
        snprintf(rig, sizeof rig, TEST_SOURCE "/demo/%s.yaml", demos[i][0]);
        snprintf(plan, sizeof plan, TEST_SOURCE "/demo/%s.plan", demos[i][0]);
        must(run_command(output, sizeof output, TEST_TOOL " export %s %s -o %s", rig, plan,
                         scratch("plan.h")),
             "export of a plan");
        const char *c = write_file("plan.c", program);
        must(run_command(output, sizeof output,
                         "cc -std=c11 -Wall -Wextra -Wpedantic -Werror -DSTEPS=%s_plan_STEPS "
                         "-DTRACKS=%s_plan_TRACKS -DTABLE=%s_plan_steps -I" TEST_SOURCE
                         "/include %s " TEST_BUILD
                         "/libwindpin.a -lyaml -linih -lm -o %s && %s %s %s",
                         demos[i][1], demos[i][1], demos[i][1], c, scratch("planned"),
                         scratch("planned"), rig, plan),
             "an exported plan");
    }
    ck_assert_int_eq(run_command(output, sizeof output,
                                 TEST_TOOL " export " TEST_SOURCE
                                           "/demo/honey-pump.yaml " TEST_SOURCE
                                           "/demo/honey-house.plan"),
                     2);
}
END_TEST

/* A rig with one load of every kind there is. */
static void write_rig_of_all_kinds(const char *path) {
    size_t count;
    unsigned pin = 0;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    FILE *to = fopen(path, "w");
    ck_assert_ptr_nonnull(to);
    print_rig_of_kinds(to);
    for (size_t i = 0; i < count; i++) {
        char name[32];
        snprintf(name, sizeof name, "load-%zu", i);
        pin += print_load_of_kind(to, &kinds[i], name, pin);
    }
    ck_assert_int_eq(fclose(to), 0);
}

/* The header of every kind compiles, opens and comes to rest. */
START_TEST(the_table_of_every_kind_compiles_and_opens) {
    const char *path = scratch("kinds.yaml");
    write_rig_of_all_kinds(path);
    const char *c = write_file(
        "kinds.c",
        "#include \"kinds.h\"\n#include <stdio.h>\n#include <windpin/host/sim.h>\nint main(void) "
        "{\n"
        "    wpin_sim *sim = wpin_sim_new(&(wpin_part_controller){5, 25, 0.04, "
        "16e6, 65535, 0});\n    wpin_port port = wpin_sim_port(sim);\n"
        "    wpin_status status = rig_open(&port);\n    if (status == WPIN_OK) { status = "
        "rig_arm(); }\n    if (status != WPIN_OK) { puts(wpin_status_text(status)); return 1; }\n"
        "    for (int i = 0; i < 2000; i++) {\n"
        "        rig_tick();\n        rig_fast_tick();\n"
        "        port.pause(port.context, 1000);\n    }\n"
        "    for (int i = 0; i < RIG_MOTORS; i++) { /* nothing turns Hall sensors here */\n"
        "        bool ready = wpin_motor_state(&rig_motors[i]) == WPIN_STATE_READY;\n"
        "        if (!ready && rig_motors[i].fault != WPIN_FAULT_HALL) { return 2; }\n"
        "    }\n    return 0;\n}\n");
    must(run_command(output, sizeof output, TEST_TOOL " export %s -o %s", path, scratch("kinds.h")),
         "export");
    must(run_command(
             output, sizeof output,
             "cc -std=c11 -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -I" TEST_SOURCE
             "/include %s " TEST_BUILD "/libwindpin.a -lyaml -linih -lm -o %s && %s",
             c, scratch("kinds"), scratch("kinds")),
         "the tables of all kinds");
}
END_TEST

/* An exported rig on the simulated board does in every control period what a session does there:
 * open loop, places and homing, a regulated speed, a current, six steps, without sensors. (A sense
 * that is noisy is not here: noise comes with each reading, and a session reads more.) */
START_TEST(an_exported_rig_does_what_a_session_does) {
    static const struct {
        const char *rig, *plan, *flags; /* plan NULL: the demo's */
        const char *change;             /* of the rig */
    } rows[] = {
        {"honey-pump", NULL, "", ""},
        {"honey-shelf", NULL, "", ""},
        {"honey-gate", NULL, "", ""},
        {"honey-drum", NULL, "", ""},
        {"honey-lid", NULL, "", ""},
        {"honey-warm", "main on\npump ramp 70% in 1s\npump hold 1s\npump stop\nmain off\n", "", ""},
        {"honey-belts",
         "main on\nleft ramp 60rpm\nleft hold 1s\ntogether left, right\n  left run 30rpm for "
         "1s\n  right run reverse 40rpm for 2s\nend\nmain off\n",
         "", ""},
        {"honey-spinner", "main on\ndrum ramp 100rpm\ndrum hold 1s\ndrum stop\nmain off\n", "", ""},
        {"honey-vector", "main on\ndrum ramp 60rpm\ndrum hold 500ms\ndrum stop\nmain off\n",
         "-DPERIOD", ""},
        /* a zero that is learnt; capacitors that charge, and braking that gives way */
        {"honey-drum", "main on\nwait 100ms\ndrum ramp 90rpm\ndrum hold 1s\ndrum stop\nmain off\n",
         "", "s/sense: 200mV.A/sense: 200mV\\/A, sense-zero: 2.5V, sense-offset: 60mV/"},
        {"honey-spinner",
         "main on\ndrum ramp 100rpm\ndrum hold 1s\ndrum ramp 40rpm\ndrum stop\nmain off\n", "",
         "s/main: {.*/main: {voltage: 24V, resistance: 60mohm, capacitor: 2mF, sense: {input: 5, "
         "divider: 12%, most: 34V, give-way: 25V, give-up: 27V}}/;s/dead-time: 1us/dead-time: "
         "1us\\n      charge: 100us/;s/ramp: {up.*}/ramp: {up: 3s, down: 2s}/;1i accept: [drum "
         "returned-energy]"},
        {"honey-fan", "main on\nfan run 60% for 4s\nmain off\n", "-DMIDDLE", ""},
        {"honey-airing", "main on\nfan ramp 900rpm\nfan hold 1s\nfan stop\nmain off\n", "-DMIDDLE",
         ""}};
    char rig[400], plan[400];
    snprintf(rig, sizeof rig, "%s", scratch("board.yaml"));
    snprintf(plan, sizeof plan, "%s", scratch("board.plan"));
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        must(run_command(output, sizeof output,
                         "sed -e 's/, sense-noise: [^,}]*//' -e '%s' " TEST_SOURCE
                         "/demo/%s.yaml > %s",
                         rows[i].change, rows[i].rig, rig),
             "the rig");
        if (rows[i].plan != NULL) {
            (void)write_file("board.plan", rows[i].plan);
        } else {
            must(run_command(output, sizeof output, "cp " TEST_SOURCE "/demo/%s.plan %s",
                             rows[i].rig, plan),
                 "the plan");
        }
        must(run_command(output, sizeof output,
                         TEST_TOOL " run %s %s --trace %s > %s; " TEST_TOOL
                                   " export %s %s -o %s && cc -O0 -std=c11 -Wall -Wextra -Werror "
                                   "%s -I" TEST_SOURCE "/include -I$(dirname %s) " TEST_SOURCE
                                   "/tests/exported/on_board.c " TEST_BUILD
                                   "/libwindpin.a -lyaml -linih -lm -o %s",
                         rig, plan, scratch("board.csv"), scratch("board.txt"), rig, plan,
                         scratch("rig.h"), rows[i].flags, rig, scratch("on-board")),
             rows[i].rig);
        must(run_command(output, sizeof output, "%s %s %s", scratch("on-board"), rig,
                         scratch("board.csv")),
             rows[i].rig);
    }
}
END_TEST

/* The whole program that docs/porting.md ends with is one. */
START_TEST(the_program_in_the_docs_compiles) {
    must(run_command(output, sizeof output,
                     TEST_TOOL
                     " export " TEST_SOURCE "/demo/honey-pump.yaml " TEST_SOURCE
                     "/demo/honey-pump.plan -o %s && awk '/^```c/ {on = 1; text = \"\"; "
                     "next} /^```/ {if (on && text ~ /int main/) printf \"%%s\", text; on "
                     "= 0} on {text = text $0 \"\\n\"}' " TEST_SOURCE
                     "/docs/porting.md > %s && grep -c rig_tick %s && cc -std=c11 -Wall "
                     "-Wextra -Werror -I" TEST_SOURCE "/include -I" TEST_SOURCE
                     "/firmware -c %s -o %s",
                     scratch("rig.h"), scratch("walk.c"), scratch("walk.c"), scratch("walk.c"),
                     scratch("walk.o")),
         "the walk");
}
END_TEST

/* Whatever loads and files are called, the header is C; names that C could not tell apart are none
 * for a rig. */
START_TEST(names_make_no_trouble) {
    static const char rig[] =
        "rig: 1\nsupplies: {main: {voltage: 12V, resistance: 0.1ohm}}\n"
        "inputs: {inputs: {analog: 0}, rig: {pin: 12}}\nloads:\n" HALF("motors", "3")
            HALF("switch-1", "4") HALF("%s", "5");
    char text[4096];
    const char *c = write_file("names.c", "#include \"names.h\"\nint main(void) { return 0; }\n");
    const char *plan = write_file("1 \xC3\xA4.plan", "main on\nmotors stop\n");
    snprintf(text, sizeof text, rig, "rig-motors");
    must(run_command(output, sizeof output, TEST_TOOL " export %s '%s' -o %s",
                     write_file("names.yaml", text), plan, scratch("names.h")),
         "export");
    must(run_command(output, sizeof output,
                     "cc -std=c11 -Wall -Wextra -Werror -I" TEST_SOURCE "/include %s " TEST_BUILD
                     "/libwindpin.a -o %s",
                     c, scratch("names")),
         "any names");
    static const char *const taken[] = {"Motors", "switch_1"};
    for (size_t i = 0; i < 2; i++) {
        snprintf(text, sizeof text, rig, taken[i]);
        int status =
            run_command(output, sizeof output, TEST_TOOL " rig %s", write_file("names.yaml", text));
        ck_assert_msg(status == 2 && strstr(output, "is taken by") != NULL, "%s", output);
    }
}
END_TEST

/* The core as two files compiles without a warning, and does in every subject what the library
 * does.
 */
START_TEST(two_files_are_the_whole_core) {
    static char library[4096];
    must(run_command(output, sizeof output, TEST_SOURCE "/tools/single %s", scratch("single")),
         "two files");
    static const char command[] =
        "%s -std=c11 -O0 -Wall -Wextra -Wpedantic -Werror -I" TEST_SOURCE "/include " TEST_SOURCE
        "/tests/same/same.c " TEST_SOURCE "/tests/same/same_brushless.c " TEST_SOURCE
        "/tests/same/same_host.c %s -o %s && %s";
    must(run_command(library, sizeof library, command, "cc", TEST_BUILD "/libwindpin.a -lm",
                     scratch("by-library"), scratch("by-library")),
         "by the library");
    char file[600];
    snprintf(file, sizeof file, "%s/windpin.c", scratch("single"));
    must(run_command(output, sizeof output, command, "cc", file, scratch("by-file"),
                     scratch("by-file")),
         "by two files");
    ck_assert(strncmp(output, "sum 0 ", 6) == 0);
    ck_assert_str_eq(output, library);
}
END_TEST

/* What the shared library offers is what tests/exported.txt lists: a change of it is a decision.
 * To take it: nm -D --defined-only build/libwindpin.so | awk '{print $3}' | LC_ALL=C sort */
START_TEST(what_is_offered_is_listed) {
    must(run_command(output, sizeof output,
                     "nm -D --defined-only " TEST_BUILD
                     "/libwindpin.so | awk '{print $3}' | LC_ALL=C sort | diff " TEST_SOURCE
                     "/tests/exported.txt -"),
         "listed (<) and offered (>) differ");
}
END_TEST

int main(void) {
    Suite *suite = suite_create("install");
    TCase *tests = tcase_create("install");
    tcase_add_test(tests, every_header_stands_by_itself);
    tcase_add_test(tests, the_example_of_the_readme_compiles);
    tcase_add_test(tests, the_exported_table_compiles_and_runs);
    tcase_add_test(tests, an_exported_plan_is_the_plan);
    tcase_add_test(tests, the_table_of_every_kind_compiles_and_opens);
    tcase_add_test(tests, an_exported_rig_does_what_a_session_does);
    tcase_add_test(tests, the_program_in_the_docs_compiles);
    tcase_add_test(tests, names_make_no_trouble);
    tcase_add_test(tests, two_files_are_the_whole_core);
    tcase_add_test(tests, what_is_offered_is_listed);
    tcase_add_test(tests, the_installed_tree_serves_others);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
