/* The command-line tool, run from outside. */
#define _GNU_SOURCE
#include "support_tool.h"
#include <regex.h>

char output[200000];

/* What is said to people has figures as they write them: no exponent, no -0. */
static void reads_plainly(const char *arguments) {
    static regex_t odd;
    static bool ready;
    regmatch_t m;
    if (!ready) {
        ck_assert_int_eq(regcomp(&odd, "[0-9]e[+-][0-9]|(^|[ (])-0(\\.0+)?([ ,;)]|$)",
                                 REG_EXTENDED | REG_NEWLINE),
                         0);
        ready = true;
    }
    if (strstr(arguments, "--json") == NULL && regexec(&odd, output, 1, &m, 0) == 0) {
        ck_abort_msg("windpin %s says \"%.*s\"", arguments, 60, &output[m.rm_so]);
    }
}

void tool(int status, const char *const *words, const char *format, ...) {
    char arguments[4096];
    va_list list;
    va_start(list, format);
    vsnprintf(arguments, sizeof arguments, format, list);
    va_end(list);
    int got = run_command(output, sizeof output, TEST_TOOL " %s", arguments);
    ck_assert_msg(got == status, "windpin %s returned %d:\n%.3000s", arguments, got, output);
    reads_plainly(arguments);
    for (; *words != NULL; words++) {
        ck_assert_msg(strstr(output, *words) != NULL, "windpin %s does not say \"%s\":\n%.3000s",
                      arguments, *words, output);
    }
}

char *contents(const char *path) {
    char *text = NULL;
    size_t size = 0;
    FILE *file = fopen(path, "r");
    ck_assert_msg(file != NULL, "%s is not there", path);
    ck_assert_int_ge(getdelim(&text, &size, '\0', file), 0);
    fclose(file);
    return text;
}

const char *changed_rig(const char *from, const char *to) {
    char *text = contents(RIG), *at = strstr(text, from), *result = NULL;
    ck_assert_msg(at != NULL, "%s", from);
    ck_assert_int_ge(asprintf(&result, "%.*s%s%s", (int)(at - text), text, to, at + strlen(from)),
                     0);
    const char *path = write_file("changed.yaml", result);
    free(text);
    free(result);
    return path;
}

const char *accepted_rig(const char *rules, const char *from, const char *to) {
    char *text = contents(changed_rig(from, to)), *result = NULL;
    ck_assert_int_ge(asprintf(&result, "%saccept: [%s]\n", text, rules), 0);
    const char *path = write_file("accepted.yaml", result);
    free(text);
    free(result);
    return path;
}
