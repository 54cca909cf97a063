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

/* What runs in real time, and what it needs: nothing else beside it, and perhaps another try. */
static bool in_time(const char *command) {
    return strcmp(command, "live") == 0 || strncmp(command, "field", 5) == 0;
}

/* Puts a word in place of another, everywhere. */
static void replace(char *text, size_t size, const char *from, const char *to) {
    char *made = NULL;
    for (char *at; (at = strstr(text, from)) != NULL;) {
        ck_assert_int_ge(asprintf(&made, "%.*s%s%s", (int)(at - text), text, to, at + strlen(from)),
                         0);
        ck_assert_uint_lt(strlen(made), size);
        strcpy(text, made);
        free(made);
    }
}

/* With the socket of the examples in the test's own folder, where drives are waited for; what is
 * left running is ended. */
static int run_example(const char *command, const char *script) {
    static const char ready[] = "n=0; while [ ! -S home/line ] && [ $n -lt 300 ]; do sleep 0.1; "
                                "n=$((n + 1)); done; sleep 1.5\n";
    static const char drives[] = "windpin field drives demo/honey-line.yaml --at=home/line";
    bool alone = strcmp(command, "field drives") == 0;
    char typed[4000];
    snprintf(typed, sizeof typed,
             "%s%s%s\nstatus=$?\n[ -z \"$!\" ] || kill $! 2> /dev/null\nexit $status\n",
             strncmp(command, "field ", 6) == 0 && !alone ? drives : "",
             strncmp(command, "field ", 6) == 0 && !alone ? " > drives.txt & sleep 1\n" : "",
             script);
    replace(typed, sizeof typed, "/tmp/line", "home/line");
    replace(typed, sizeof typed, "sleep 1\n", ready);
    if (alone) {
        replace(typed, sizeof typed, "  windpin", "timeout --preserve-status -s INT 5 windpin ");
    }
    return type(typed);
}

START_TEST(every_example_of_help_runs) {
    const char *command = commands[_i];
    char help[8000], script[2000];
    run_command(help, sizeof help, TEST_TOOL " %s --help", command);
    take_example(help, script, sizeof script);
    ck_assert_msg(script[0] != '\0', "no example: windpin %s --help", command);
    int status = 2;
    for (int tries = 0; status != 0 && tries < (in_time(command) ? 3 : 1); tries++) {
        make_folder("help");
        ck_assert_int_eq(type("mkdir home\n"), 0);
        status = run_example(command, script);
        status =
            strcmp(command, "field settings") == 0 && status == 1 ? 0 : status; /* it differs */
    }
    ck_assert_msg(status == 0, "windpin %s --help: status %d of\n%s%s", command, status, script,
                  output);
}
END_TEST

static const char *const tutorials[] = {"first-hour", "knob-button-stop", "regulate-a-speed",
                                        "three-thick-wires", "desk-to-firmware"};

enum { BY_HAND = 1 }; /* runs in real time */

START_TEST(each_tutorial_says_what_happens) {
    int status = 1;
    for (int tries = 0; status != 0 && tries < (_i == BY_HAND ? 3 : 1); tries++) {
        status = run_command(output, sizeof output,
                             TEST_SOURCE "/tools/tutorials " TEST_TOOL " " TEST_SOURCE
                                         "/docs/tutorials/%s.md",
                             tutorials[_i]);
    }
    ck_assert_msg(status == 0, "%s", output);
}
END_TEST

/* Those that run for long, or ask somebody, are tested elsewhere. */
START_TEST(the_readme_can_be_typed) {
    char list[8000];
    run_command(list, sizeof list,
                "grep -o 'build/windpin [^`#]*' " TEST_SOURCE
                "/README.md | grep -ve ' live' -e ' faults' -e --real -e ' new' -e --help -e "
                "'mine' | sed 's#^build/##; s/ *$//' | sort -u");
    make_folder("readme");
    int count = 0;
    for (char *line = strtok(list, "\n"); line != NULL; line = strtok(NULL, "\n"), count++) {
        int status = type(line);
        ck_assert_msg(status == 0 || (status == 1 && strstr(line, "--fault") != NULL), "%s: %d\n%s",
                      line, status, output);
    }
    ck_assert_int_ge(count, 8);
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

/* --in-time: those in real time, or all others. */
int main(int argc, char **argv) {
    bool timed = argc > 1 && strcmp(argv[1], "--in-time") == 0;
    Suite *suite = suite_create("docs");
    TCase *tests = tcase_create("docs");
    list_commands("");
    list_commands("field");
    for (int i = 0; i < command_count; i++) {
        if (in_time(commands[i]) == timed) {
            tcase_add_loop_test(tests, every_example_of_help_runs, i, i + 1);
        }
    }
    for (int i = 0; i < 5; i++) {
        if ((i == BY_HAND) == timed) {
            tcase_add_loop_test(tests, each_tutorial_says_what_happens, i, i + 1);
        }
    }
    if (!timed) {
        tcase_add_test(tests, the_readme_can_be_typed);
        tcase_add_test(tests, the_index_is_whole);
    }
    tcase_set_timeout(tests, 600);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
