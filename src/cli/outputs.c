/* Files to write: an earlier result may be replaced, anything else stays. */
#define _GNU_SOURCE
#include "cli.h"
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>

/* How results of ours begin: traces, edges, pictures, headers. */
static bool is_result(const char *begin, size_t size) {
    static const char *const signs[] = {"time_s,", "$timescale", "\x89PNG\r\n", "\n\r\r\n",
                                        "/* The rig '"};
    for (size_t i = 0; i < sizeof signs / sizeof *signs; i++) {
        size_t length = strlen(signs[i]);
        if (size >= length && memcmp(begin, signs[i], length) == 0) {
            return true;
        }
    }
    return size > 5 && memcmp(begin, "<?xml", 5) == 0 && memmem(begin, size, "<svg", 4) != NULL;
}

bool cli_may_write(const char *path) {
    struct stat s;
    if (path == NULL || stat(path, &s) != 0 || !S_ISREG(s.st_mode) || s.st_size == 0) {
        return true;
    }
    char begin[512];
    FILE *file = fopen(path, "rb");
    size_t size = file == NULL ? 0 : fread(begin, 1, sizeof begin, file);
    if (file != NULL) {
        fclose(file);
    }
    if (is_result(begin, size)) {
        return true;
    }
    cli_complain(
        "%s: this file exists and is not an earlier result, so it is not overwritten; choose "
        "another name, or move it away",
        path);
    return false;
}
