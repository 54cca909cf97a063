/* Mistakes people make in rigs and plans, each with the message it gets: tests/mistakes.txt, which
 * is read by people too. A case is a title, what is replaced (<) by what (>), and the messages.
 * With WPIN_GOLDEN=write the messages are written anew; read them before committing. */
#define _GNU_SOURCE
#include "support.h"
#include <stdlib.h>
#include <string.h>

#define GOLDEN TEST_SOURCE "/tests/mistakes.txt"

typedef struct mistake {
    char file[80]; /* of demo/ */
    char title[160];
    char from[400], to[800];
    char said[4000];
} mistake;

static mistake cases[200];
static int case_count;

/* \n in an edit is the end of a line. */
static void unfold(char *to, const char *from) {
    while (*from != '\0' && *from != '\n') {
        if (from[0] == '\\' && from[1] == 'n') {
            *to++ = '\n';
            from += 2;
        } else {
            *to++ = *from++;
        }
    }
    *to = '\0';
}

static void read_cases(void) {
    FILE *file = fopen(GOLDEN, "r");
    char *line = NULL;
    size_t room = 0;
    while (file != NULL && getline(&line, &room, file) >= 0) {
        mistake *c = &cases[case_count > 0 ? case_count - 1 : 0];
        if (strncmp(line, "=== ", 4) == 0) {
            c = &cases[case_count++];
            sscanf(line, "=== %79[^:]: %159[^\n]", c->file, c->title);
        } else if (line[0] == '<') {
            unfold(c->from, line + 1);
        } else if (line[0] == '>') {
            unfold(c->to, line + 1);
        } else if (line[0] != '\n' && line[0] != '#') {
            strncat(c->said, line, sizeof c->said - strlen(c->said) - 1);
        }
    }
    free(line);
    if (file != NULL) {
        fclose(file);
    }
}

static char *contents(const char *path) {
    enum { MOST = 20000 };
    FILE *file = fopen(path, "r");
    char *text = calloc(1, MOST);
    ck_assert_msg(file != NULL && text != NULL, "%s", path);
    ck_assert_uint_lt(fread(text, 1, MOST - 1, file), MOST - 1);
    fclose(file);
    return text;
}

/* The demo's file with the mistake in it, and what the tool says about it. */
static void make_mistake(const mistake *c, char *said, size_t size) {
    char path[300], *changed = NULL;
    snprintf(path, sizeof path, TEST_SOURCE "/demo/%s", c->file);
    char *text = contents(path);
    ck_assert_msg(strstr(text, c->from) != NULL, "%s: '%s' is not in %s", c->title, c->from,
                  c->file);
    size_t before = (size_t)(strstr(text, c->from) - text);
    ck_assert_int_ge(
        asprintf(&changed, "%.*s%s%s", (int)before, text, c->to, text + before + strlen(c->from)),
        0);
    const char *wrong = write_file(c->file, changed);
    bool plan = strstr(c->file, ".plan") != NULL;
    char rig[300], command[1200];
    snprintf(rig, sizeof rig, TEST_SOURCE "/demo/%.*s.yaml", (int)(strlen(c->file) - 5), c->file);
    snprintf(command, sizeof command,
             TEST_TOOL " %s %s %s 2>&1 >/dev/null | sed -e 's#^[^ ]*/##' -e '/^$/d'",
             plan ? "run" : "vet", plan ? rig : wrong, plan ? wrong : "");
    run_command(said, size, "%s", command);
    free(text);
    free(changed);
}

START_TEST(each_mistake_gets_its_message) {
    const mistake *c = &cases[_i];
    char said[6000];
    make_mistake(c, said, sizeof said);
    ck_assert_msg(strcmp(said, c->said) == 0, "%s: %s\nsaid:\n%sexpected:\n%s", c->file, c->title,
                  said, c->said);
    ck_assert_msg(strchr(said, ':') != NULL, "%s: nothing was said", c->title);
}
END_TEST

START_TEST(there_are_many) {
    ck_assert_int_ge(case_count, 40);
}
END_TEST

START_TEST(write_anew) {
    FILE *file = fopen(GOLDEN ".new", "w"); /* in its place only when every case could be made */
    ck_assert_ptr_nonnull(file);
    fprintf(file, "# Mistakes in rigs and plans, and what is said about them. "
                  "tests/test_mistakes.c reads this.\n");
    for (int i = 0; i < case_count; i++) {
        char said[6000];
        const mistake *c = &cases[i];
        make_mistake(c, said, sizeof said);
        fprintf(file, "\n=== %s: %s\n<", c->file, c->title);
        for (int part = 0; part < 2; part++) {
            for (const char *t = part == 0 ? c->from : c->to; *t != '\0'; t++) {
                if (*t == '\n') {
                    fprintf(file, "\\n");
                } else {
                    fputc(*t, file);
                }
            }
            fprintf(file, "%s", part == 0 ? "\n>" : "\n");
        }
        fprintf(file, "%s", said);
    }
    fclose(file);
    ck_assert_int_eq(rename(GOLDEN ".new", GOLDEN), 0);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("mistakes");
    TCase *tests = tcase_create("all");
    const char *golden = getenv("WPIN_GOLDEN");
    bool writes = golden != NULL && strcmp(golden, "write") == 0;
    read_cases();
    if (writes) {
        tcase_add_test(tests, write_anew);
    } else {
        tcase_add_loop_test(tests, each_mistake_gets_its_message, 0, case_count);
        tcase_add_test(tests, there_are_many);
    }
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
