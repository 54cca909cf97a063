/* The installed tree: program, demo, and a program of somebody else's built both ways. */
#include "support.h"
#include <string.h>

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

int main(void) {
    Suite *suite = suite_create("install");
    TCase *tests = tcase_create("install");
    tcase_set_timeout(tests, 180);
    tcase_add_test(tests, the_example_of_the_readme_compiles);
    tcase_add_test(tests, the_installed_tree_serves_others);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
