/* What help and tutorials print as commands runs as printed, and says what they say it does. */
#define _GNU_SOURCE
#include "support.h"
#include <stdlib.h>
#include <string.h>

static char output[400000];

/* ---- a folder to run in, with demo/ and windpin ---- */

static const char *folder; /* made anew by each test */

static void make_folder(const char *name) {
    static char path[500];
    snprintf(path, sizeof path, "%s", scratch(name));
    folder = path;
    int status = run_command(output, sizeof output,
                             "rm -rf %s && mkdir -p %s/bin && ln -s " TEST_SOURCE
                             "/demo %s/demo && ln -s " TEST_SOURCE "/examples %s/examples && "
                             "ln -s " TEST_TOOL " %s/bin/windpin",
                             path, path, path, path, path);
    ck_assert_msg(status == 0, "%s", output);
}

/* A command as somebody types it there. */
static int type(const char *command) {
    const char *script = write_file("typed.sh", command);
    return run_command(output, sizeof output, "cd %s && PATH=$PWD/bin:$PATH && . %s < /dev/null",
                       folder, script);
}

/* ---- help ---- */

static char commands[64][40]; /* "run", "field look" */
static int command_count;

/* The words that begin the indented lines of a help text. */
static void list_commands(const char *before) {
    char line[200], word[20];
    snprintf(line, sizeof line, TEST_TOOL " %s --help", before);
    FILE *help = popen(line, "r");
    while (help != NULL && fgets(line, sizeof line, help) != NULL) {
        if (sscanf(line, "  %19[a-z] ", word) == 1 && line[2] != ' ' &&
            strcmp(word, "windpin") != 0 && command_count < 64) {
            snprintf(commands[command_count++], sizeof *commands, "%s%s%s", before,
                     before[0] != '\0' ? " " : "", word);
        }
    }
    if (help != NULL) {
        pclose(help);
    }
}

/* The indented lines after "Example:" up to an empty one, as one script. */
static void take_example(const char *help, char *script, size_t size) {
    const char *from = strstr(help, "\nExample:\n");
    size_t used = 0;
    script[0] = '\0';
    for (const char *line = from == NULL ? "" : from + strlen("\nExample:\n"); *line != '\0';) {
        int length = (int)strcspn(line, "\n");
        if (length == 0) {
            break;
        }
        if (strncmp(line, "  ", 2) == 0) {
            used += (size_t)snprintf(script + used, size - used, "%.*s\n", length, line);
        }
        line += length + (line[length] != '\0');
    }
}

/* The socket of the examples, in the test's own folder; what they leave running is ended. */
static void run_example(const char *command, const char *script) {
    char typed[4000];
    snprintf(typed, sizeof typed,
             "%s\nstatus=$?\n[ -z \"$!\" ] || kill $! 2> /dev/null\nexit $status\n", script);
    for (char *at; (at = strstr(typed, "/tmp/line")) != NULL;) {
        memcpy(at, "home/line", strlen("home/line"));
    }
    int status = type(typed);
    bool differs = status == 1 && strcmp(command, "field settings") == 0; /* as it says */
    ck_assert_msg(status == 0 || differs, "windpin %s --help: status %d of\n%s%s", command, status,
                  script, output);
}

START_TEST(every_example_of_help_runs) {
    const char *command = commands[_i];
    char help[8000], script[2000];
    run_command(help, sizeof help, TEST_TOOL " %s --help", command);
    take_example(help, script, sizeof script);
    ck_assert_msg(script[0] != '\0', "no example: windpin %s --help", command);
    make_folder("help");
    ck_assert_int_eq(type("mkdir home\n"), 0);
    bool field = strncmp(command, "field ", 6) == 0;
    if (strcmp(command, "field drives") == 0) {
        char some[2100];
        snprintf(some, sizeof some, "timeout --preserve-status -s INT 1 %s", script + 2);
        run_example(command, some);
    } else if (field) {
        char with[2100];
        snprintf(
            with, sizeof with,
            "windpin field drives demo/honey-line.yaml --at=/tmp/line > drives.txt & sleep 1\n%s",
            script);
        run_example(command, with);
    } else {
        run_example(command, script);
    }
}
END_TEST

static const char *const tutorials[] = {"first-hour", "knob-button-stop", "regulate-a-speed",
                                        "three-thick-wires", "desk-to-firmware"};

START_TEST(each_tutorial_says_what_happens) {
    int status = run_command(output, sizeof output,
                             TEST_SOURCE "/tools/tutorials " TEST_TOOL " " TEST_SOURCE
                                         "/docs/tutorials/%s.md",
                             tutorials[_i]);
    ck_assert_msg(status == 0, "%s", output);
}
END_TEST

/* None is forgotten, and no page of docs/ is missing in the index. */
START_TEST(the_index_is_whole) {
    int status = run_command(output, sizeof output,
                             "cd " TEST_SOURCE "/docs && for page in *.md tutorials/*.md; do grep "
                             "-q \"($page)\" README.md || [ $page = README.md ] || echo $page; "
                             "done; ls tutorials | wc -l");
    ck_assert_msg(status == 0 && atoi(output) == (int)(sizeof tutorials / sizeof *tutorials),
                  "not in the index, or not tested: %s", output);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("docs");
    TCase *tests = tcase_create("docs");
    list_commands("");
    list_commands("field");
    tcase_set_timeout(tests, 600);
    tcase_add_loop_test(tests, every_example_of_help_runs, 0, command_count);
    tcase_add_loop_test(tests, each_tutorial_says_what_happens, 0, 5);
    tcase_add_test(tests, the_index_is_whole);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
