/* Small files of sysfs. */
#define _GNU_SOURCE
#include "linux.h"
#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <unistd.h>

bool wpin_linux_get(const char *path, char *text, size_t size) {
    int file = open(path, O_RDONLY | O_CLOEXEC);
    if (file < 0) {
        return false;
    }
    ssize_t got = read(file, text, size - 1);
    int error = errno;
    close(file);
    errno = error;
    if (got < 0) {
        return false;
    }
    text[got] = '\0';
    text[strcspn(text, "\n")] = '\0';
    return true;
}

bool wpin_linux_put(const char *path, const char *text) {
    int file = open(path, O_WRONLY | O_CLOEXEC);
    if (file < 0) {
        return false;
    }
    bool put = write(file, text, strlen(text)) == (ssize_t)strlen(text);
    int error = errno;
    close(file);
    errno = error;
    return put;
}
