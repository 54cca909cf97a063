/* PWM by channels of sysfs. A channel goes on when its owner dies: it is locked by a file that the
 * guardian holds too, so that one that still runs has nobody who minds it. */
#define _GNU_SOURCE
#include "linux.h"
#include <errno.h>
#include <fcntl.h>
#include <inttypes.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <time.h>
#include <unistd.h>

#define CLASS "/sys/class/pwm/"
#define UNSTARTED                                                                                  \
    1000000 /* ns: period of a channel that shows its high level before it is started */

/* ---- the lock ---- */

static int open_lock(const char *name, char *path, size_t size) {
    static const char *const places[] = {"/run/lock", "/tmp"};
    for (size_t i = 0; i < sizeof places / sizeof *places; i++) {
        snprintf(path, size, "%s/windpin-%s", places[i], name);
        int file = open(path, O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0666);
        if (file >= 0) {
            return file;
        }
    }
    return -1;
}

/* Locked with this process's number in it; `before`: whose it was. */
static bool lock(wpin_linux_slot *s, long *before, char *why, size_t size) {
    char name[WPIN_LINUX_NAME], path[128], number[24] = "";
    snprintf(name, sizeof name, "%s", s->is->pwm);
    *strchr(name, '/') = '-';
    s->lock = open_lock(name, path, sizeof path);
    if (s->lock < 0) {
        snprintf(why, size, "%s can't be locked: %s: %s", s->is->pwm, path, strerror(errno));
        return false;
    }
    (void)!pread(s->lock, number, sizeof number - 1, 0);
    *before = atol(number);
    if (flock(s->lock, LOCK_EX | LOCK_NB) != 0) {
        snprintf(why, size, "%s is taken by process %ld", s->is->pwm, *before);
        close(s->lock);
        s->lock = -1; /* not ours to be given back */
        return false;
    }
    snprintf(number, sizeof number, "%d\n", (int)getpid());
    return ftruncate(s->lock, 0) == 0 && pwrite(s->lock, number, strlen(number), 0) > 0;
}

/* ---- taking and giving ---- */

static bool get(const wpin_linux_slot *s, const char *what, uint64_t *value) {
    char path[200], text[32];
    snprintf(path, sizeof path, "%s/%s", s->folder, what);
    bool got = wpin_linux_get(path, text, sizeof text);
    *value = got ? strtoull(text, NULL, 10) : 0;
    return got;
}

static bool put(const wpin_linux_slot *s, const char *what, const char *text) {
    char path[200];
    snprintf(path, sizeof path, "%s/%s", s->folder, what);
    return wpin_linux_put(path, text);
}

static bool put_number(const wpin_linux_slot *s, const char *what, uint64_t value) {
    char text[24];
    snprintf(text, sizeof text, "%" PRIu64, value);
    return put(s, what, text);
}

/* Off, at 0 %. Before it has a period the kernel takes neither, and it is off anyway. */
static bool quiet(const wpin_linux_slot *s) {
    uint64_t period;
    return !get(s, "period", &period) || period == 0 ||
           (put(s, "duty_cycle", "0") && put(s, "enable", "0"));
}

/* Its files come at once or, where something gives rights to them, a little later. */
static int open_duty(const wpin_linux_slot *s) {
    char path[200];
    int file = -1;
    snprintf(path, sizeof path, "%s/duty_cycle", s->folder);
    for (int tries = 0; tries < 100 && file < 0; tries++) {
        struct timespec a_while = {.tv_nsec = 10000000};
        file = open(path, O_RDWR | O_CLOEXEC);
        if (file < 0) {
            nanosleep(&a_while, NULL);
        }
    }
    return file;
}

static bool export_channel(wpin_linux_slot *s, char *why, size_t size) {
    char path[128], chip[WPIN_LINUX_NAME];
    const char *slash = strchr(s->is->pwm, '/');
    snprintf(chip, sizeof chip, "%.*s", (int)(slash - s->is->pwm), s->is->pwm);
    snprintf(path, sizeof path, CLASS "%s/export", chip);
    snprintf(s->folder, sizeof s->folder, CLASS "%s/pwm%s", chip, slash + 1);
    if (access(path, F_OK) != 0) {
        snprintf(why, size, "there is no PWM chip '%s': is its overlay or module loaded?", chip);
        return false;
    }
    if (access(s->folder, F_OK) != 0 && !wpin_linux_put(path, slash + 1)) {
        snprintf(why, size, "channel %s of %s was not given: %s", slash + 1, chip,
                 errno == EBUSY    ? "the kernel itself uses it"
                 : errno == ENODEV ? "the chip has not so many"
                                   : strerror(errno));
        return false;
    }
    s->duty = open_duty(s);
    if (s->duty < 0) {
        snprintf(why, size, "%s/duty_cycle may not be written by you: %s", s->folder,
                 strerror(errno));
    }
    return s->duty >= 0;
}

bool wpin_linux_take_channel(wpin_linux *l, wpin_linux_slot *s, char *why, size_t size) {
    long before;
    uint64_t duty, on;
    const char *slash = strchr(s->is->pwm, '/');
    if (slash == NULL || slash[1] == '\0' || strchr(slash + 1, '/') != NULL) {
        snprintf(why, size, "'%s' is not a channel; expected e.g. pwmchip0/1", s->is->pwm);
        return false;
    }
    if (!lock(s, &before, why, size) || !export_channel(s, why, size)) {
        return false;
    }
    if (get(s, "enable", &on) && get(s, "duty_cycle", &duty) && on != 0 && duty != 0) {
        wpin_linux_note(l, "%s was left running%s%.0ld: it was set to 0 %%", s->is->pwm,
                        before > 0 ? " by process " : "", before);
    }
    if (!quiet(s)) {
        snprintf(why, size, "%s/duty_cycle can't be written: %s", s->folder, strerror(errno));
        return false;
    }
    if (!wpin_guardian_add(&l->guardian, WPIN_GUARDED_CHANNEL, s->duty) ||
        !wpin_guardian_add(&l->guardian, WPIN_GUARDED_KEPT, s->lock)) {
        snprintf(why, size, "the guardian is gone");
        return false;
    }
    return true;
}

void wpin_linux_give_channel(wpin_linux_slot *s) {
    if (s->duty >= 0) {
        char path[200];
        const char *slash = strchr(s->is->pwm, '/');
        (void)quiet(s);
        close(s->duty);
        snprintf(path, sizeof path, CLASS "%.*s/unexport", (int)(slash - s->is->pwm), s->is->pwm);
        (void)wpin_linux_put(path, slash + 1);
    }
    if (s->lock >= 0) {
        (void)!ftruncate(s->lock, 0);
        close(s->lock);
    }
    s->duty = s->lock = -1;
}

/* ---- at work ---- */

/* Period and polarity, at 0 %. An inverted channel that shows its high level already keeps it. */
static bool set_up(wpin_linux_slot *s, uint64_t period, bool inverted) {
    bool done = (s->runs && s->inverted == inverted) || quiet(s);
    /* polarity changes only while it is off */
    done = done && put_number(s, "period", period) &&
           (s->runs || put(s, "polarity", inverted ? "inversed" : "normal") || !inverted);
    s->inverted = inverted;
    return done && get(s, "period", &s->period) && s->period != 0;
}

wpin_status wpin_linux_pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                                 wpin_pwm_achieved *achieved) {
    wpin_linux *l = context;
    wpin_linux_slot *s = l->by_pin[pin];
    if (s == NULL || s->duty < 0 || request->hz == 0 || request->centred) {
        wpin_linux_break(l,
                         request->centred ? "pin %u: its PWM can't lie in the middle of its period"
                                          : "pin %u has no PWM channel in the rig's 'linux'",
                         pin);
        return WPIN_REFUSED_FREQUENCY;
    }
    if (!set_up(s, (uint64_t)llround(1e9 / request->hz), request->inverted)) {
        wpin_linux_break(l, "%s does not take %u Hz%s: %s", s->is->pwm, request->hz,
                         request->inverted ? ", inverted" : "", strerror(errno));
        return WPIN_REFUSED_FREQUENCY;
    }
    double hz = 1e9 / (double)s->period;
    *achieved =
        (wpin_pwm_achieved){.millihertz = (uint32_t)llround(hz * 1e3),
                            .steps = (uint16_t)(s->period < UINT16_MAX ? s->period : UINT16_MAX)};
    return WPIN_OK;
}

static wpin_status show(wpin_linux *l, wpin_linux_slot *s, uint64_t ns) {
    char text[24];
    int length = snprintf(text, sizeof text, "%" PRIu64, ns);
    wpin_linux_mark(l, s, ns != 0);
    bool shown =
        pwrite(s->duty, text, (size_t)length, 0) == length && (s->runs || put(s, "enable", "1"));
    s->runs = s->runs || shown;
    return shown ? WPIN_OK
                 : wpin_linux_break(l, "%s can't be written: %s", s->is->pwm, strerror(errno));
}

wpin_status wpin_linux_pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    wpin_linux *l = context;
    wpin_linux_slot *s = l->by_pin[pin];
    if (s == NULL || s->duty < 0 || s->period == 0) {
        return wpin_linux_break(l, "pin %u has no PWM that was started", pin);
    }
    if (wpin_guardian_acted(&l->guardian)) {
        return wpin_linux_break(l, "this process was not heard, and the guardian made all safe");
    }
    return show(l, s, (s->period * duty + WPIN_DUTY_FULL / 2) / WPIN_DUTY_FULL);
}

wpin_status wpin_linux_channel_level(wpin_linux *l, wpin_linux_slot *s, wpin_level level) {
    if (level == WPIN_FLOAT) {
        return wpin_linux_break(l, "%s can't float", s->is->pwm);
    }
    if (s->period == 0) { /* before it is started it is off: low, or inverted and high */
        if (level == WPIN_HIGH && !set_up(s, UNSTARTED, true)) {
            return wpin_linux_break(l, "%s can't be inverted: %s", s->is->pwm, strerror(errno));
        }
        return level == WPIN_HIGH ? show(l, s, 0) : WPIN_OK;
    }
    return show(l, s, (level == WPIN_HIGH) != s->inverted ? s->period : 0);
}
