/* Sets a drive up, without moving anything: it is asked what it is, told which process data go
 * which way, then whatever the settings say. What is told is read back; the first that is not as it
 * should be ends it. */
#include "axis_core.h"
#include "network_core.h"

/* Answers that nobody asked for: a frame may come twice, a twin answers everything. */
#define TWIN       3
#define AGAIN_US   500000 /* until a silent drive is looked for again */
#define STARTED_US 500000 /* its first process data come within this */

#define PROFILE_402 402

/* A row of the list that drives are told. */
typedef struct row {
    uint16_t index;
    uint8_t sub;
    uint8_t size;
    uint32_t value;
    uint8_t more; /* what is added */
    uint8_t whom; /* it is told to */
} row;

enum { AS_IT_IS, NUMBER, POSITION_EVERY, PROFILE, HEARTBEAT, OUR_HEARTBEAT, GUARD };
enum { TO_ALL, TO_PLAIN, TO_OTHERS, TO_BEATING, TO_GUARDED };

#define OFF 0x80000000U
/* Process data are switched off, described, and switched on. */
#define DATA(talk, map, id, type, what, whom)                                                      \
    {talk, 1, 4, OFF | (id), NUMBER, whom}, {talk, 2, 1, type, what, whom}, {                      \
        map, 0, 1, 0, AS_IT_IS, whom                                                               \
    }
#define ENTRY(map, entry, object, whom)                                                            \
    { map, entry, 4, object, AS_IT_IS, whom }
#define DONE(talk, map, id, entries, whom)                                                         \
    {map, 0, 1, entries, AS_IT_IS, whom}, {                                                        \
        talk, 1, 4, id, NUMBER, whom                                                               \
    }

static const WPIN_FLASH row rows[] = {
    DATA(0x1400, 0x1600, 0x200, 255, AS_IT_IS, TO_ALL), /* to it: control word, target velocity */
    ENTRY(0x1600, 1, 0x60400010, TO_ALL),
    ENTRY(0x1600, 2, 0x60FF0020, TO_OTHERS),
    ENTRY(0x1600, 2, 0x60420010, TO_PLAIN),
    DONE(0x1400, 0x1600, 0x200, 2, TO_ALL),
    DATA(0x1401, 0x1601, 0x300, 255, AS_IT_IS, TO_OTHERS), /* control word, target position */
    ENTRY(0x1601, 1, 0x60400010, TO_OTHERS),
    ENTRY(0x1601, 2, 0x607A0020, TO_OTHERS),
    DONE(0x1401, 0x1601, 0x300, 2, TO_OTHERS),
    DATA(0x1402, 0x1602, 0x400, 255, AS_IT_IS, TO_ALL), /* mode, target torque */
    ENTRY(0x1602, 1, 0x60600008, TO_ALL),
    ENTRY(0x1602, 2, 0x60710010, TO_OTHERS),
    {0x1602, 0, 1, 1, AS_IT_IS, TO_PLAIN},
    {0x1602, 0, 1, 2, AS_IT_IS, TO_OTHERS},
    {0x1402, 1, 4, 0x400, NUMBER, TO_ALL},
    DATA(0x1800, 0x1A00, 0x180, 1, AS_IT_IS, TO_ALL), /* from it: status word, velocity, current */
    ENTRY(0x1A00, 1, 0x60410010, TO_ALL),
    ENTRY(0x1A00, 2, 0x606C0020, TO_OTHERS),
    ENTRY(0x1A00, 2, 0x60440010, TO_PLAIN),
    ENTRY(0x1A00, 3, 0x60780010, TO_ALL),
    DONE(0x1800, 0x1A00, 0x180, 3, TO_ALL),
    DATA(0x1801, 0x1A01, 0x280, 0, POSITION_EVERY, TO_ALL), /* error code, mode, position */
    ENTRY(0x1A01, 1, 0x603F0010, TO_ALL),
    ENTRY(0x1A01, 2, 0x60610008, TO_ALL),
    ENTRY(0x1A01, 3, 0x60640020, TO_OTHERS),
    {0x1A01, 0, 1, 2, AS_IT_IS, TO_PLAIN},
    {0x1A01, 0, 1, 3, AS_IT_IS, TO_OTHERS},
    {0x1801, 1, 4, 0x280, NUMBER, TO_ALL},
    {PROFILE_SPEED, 0, 4, 0, PROFILE, TO_OTHERS},
    {0x1017, 0, 2, 0, HEARTBEAT, TO_BEATING},
    {0x1016, 1, 4, 0, OUR_HEARTBEAT, TO_BEATING},
    {0x1017, 0, 2, 0, AS_IT_IS, TO_GUARDED}, /* a node does one or the other */
    {0x100C, 0, 2, 0, GUARD, TO_GUARDED},
    {0x100D, 0, 1, 3, AS_IT_IS, TO_GUARDED},
};

enum { ROWS = sizeof rows / sizeof rows[0] };

/* What it is asked first: kind of device, vendor, product. */
enum { QUESTIONS = 3 };

/* The number under which it is commanded. */
static uint8_t own_number(const wpin_axis *axis) {
    const wpin_network *network = axis->config->network;
    return wpin_network_is_open(network) ? network->config->number : 0;
}

static wpin_setting common(const wpin_axis *axis, uint8_t number) {
    const WPIN_FAR wpin_axis_config *config = axis->config;
    const WPIN_FAR row *r = &rows[number];
    uint32_t value = r->value;
    switch (r->more) {
    case NUMBER: value += config->number; break;
    case POSITION_EVERY: value = config->position_every != 0 ? config->position_every : 1; break;
    case PROFILE:
        value = config->profile_speed != 0 ? config->profile_speed : config->full_speed;
        break;
    case HEARTBEAT: value = config->heartbeat_ms; break;
    case GUARD: value = config->guard_ms; break;
    case OUR_HEARTBEAT: value = ((uint32_t)own_number(axis) << 16) | config->heartbeat_ms; break;
    default: break;
    }
    return (wpin_setting){.index = r->index, .sub = r->sub, .size = r->size, .value = value};
}

/* Whether a drive is told a row of the list, or a setting of its own behind it. */
static bool is_told(const wpin_axis *axis, uint8_t number) {
    const WPIN_FAR wpin_axis_config *config = axis->config;
    uint16_t heartbeat_ms = config->heartbeat_ms,
             guard_ms = config->guard_ms; /* avr-gcc fails on them below */
    switch (number < ROWS ? rows[number].whom : TO_ALL) {
    case TO_PLAIN: return axis->plain;
    case TO_OTHERS: return !axis->plain;
    case TO_BEATING: return heartbeat_ms != 0;
    case TO_GUARDED: return guard_ms != 0;
    default: return true;
    }
}

static wpin_setting setting(const wpin_axis *axis, uint8_t number) {
    if (number < ROWS) {
        return common(axis, number);
    }
    uint8_t own = (uint8_t)(number - ROWS);
    const WPIN_FAR wpin_axis_config *config = axis->config;
    bool there = config->settings != NULL && own < config->setting_count;
    wpin_setting s = there ? config->settings[own] : common(axis, 0);
    s.size = s.size > 2 ? 4 : s.size; /* it was checked to be 1, 2 or 4 */
    return s;
}

static uint16_t setting_count(const wpin_axis *axis) {
    return (uint16_t)(ROWS + axis->config->setting_count);
}

void wpin_axis_set_up_anew(wpin_axis *axis, uint32_t after_us) {
    wpin_object_abort(&axis->node);
    axis->setup = WPIN_AXIS_WAITS;
    axis->node.doubles = 0;
    axis->waits_us = after_us;
    axis->step = 0;
}

static void refuse(wpin_axis *axis, wpin_axis_trouble trouble) {
    axis->trouble = trouble;
    if (trouble.status == WPIN_REFUSED_SILENT) {
        wpin_axis_set_up_anew(axis, AGAIN_US);
    } else {
        axis->setup = WPIN_AXIS_REFUSED;
    }
}

static bool transferred(wpin_axis *axis, uint16_t index, uint8_t sub) {
    const wpin_transfer *t = &axis->node.transfer;
    if (t->result != WPIN_OK) {
        refuse(axis, (wpin_axis_trouble){
                         .status = t->result, .index = index, .sub = sub, .abort = t->abort});
    }
    return t->result == WPIN_OK;
}

/* By its object, for it may take no process data now: another program may have left it in motion,
 * or another node said that it begins anew. */
static void calm(wpin_axis *axis) {
    wpin_object_write_number(&axis->node, 0x6040, 0, wpin_axis_off_word(axis), 2);
}

/* One that does not take it says so again where it is enabled. */
static void hear_calmed(wpin_axis *axis) {
    if (axis->node.transfer.result == WPIN_REFUSED_SILENT) {
        (void)transferred(axis, 0x6040, 0);
    } else {
        axis->setup = WPIN_AXIS_ASKS;
    }
}

static void ask(wpin_axis *axis) {
    uint16_t index = axis->step == 0 ? 0x1000 : 0x1018;
    wpin_object_read(&axis->node, index, axis->step, &axis->answer, 4);
}

/* Whether what was asked for must be known. */
static bool matters(const wpin_axis *axis) {
    const WPIN_FAR wpin_axis_config *config = axis->config;
    return axis->step == 0 || (axis->step == 1 ? config->vendor != 0 : config->product != 0);
}

static uint32_t answered(const wpin_axis *axis) {
    return wpin_number_from((const uint8_t *)&axis->answer, 4);
}

static void hear_answer(wpin_axis *axis) {
    const WPIN_FAR wpin_axis_config *config = axis->config;
    uint16_t index = axis->step == 0 ? 0x1000 : 0x1018;
    if (!transferred(axis, index, axis->step)) {
        return;
    }
    uint32_t wanted = axis->step == 0   ? PROFILE_402
                      : axis->step == 1 ? config->vendor
                                        : config->product;
    uint32_t got = answered(axis);
    if ((axis->step == 0 ? got & 0xFFFFU : got) != wanted) {
        refuse(axis, (wpin_axis_trouble){.status = WPIN_REFUSED_CONFIG,
                                         .index = index,
                                         .sub = axis->step,
                                         .wanted = wanted,
                                         .got = got});
        return;
    }
    do {
        axis->step++;
    } while (axis->step < QUESTIONS && !matters(axis));
    if (axis->step >= QUESTIONS) {
        axis->step = 0;
        axis->setup = WPIN_AXIS_TELLS;
    }
}

static void check(wpin_axis *axis) {
    wpin_setting s = setting(axis, axis->step);
    axis->answer = 0;
    axis->setup = WPIN_AXIS_CHECKS;
    wpin_object_read(&axis->node, s.index, s.sub, &axis->answer, s.size);
}

static void tell(wpin_axis *axis) {
    wpin_setting s = setting(axis, axis->step);
    if (s.asked != 0) {
        check(axis);
    } else {
        wpin_object_write_number(&axis->node, s.index, s.sub, s.value, s.size);
    }
}

/* The bits of a value that count. A drive may say besides that its process data can not be asked
 * for (bit 30 of an identifier). */
static uint32_t counts(const wpin_setting *s) {
    bool identifier = s->index >= 0x1400 && s->index < 0x1C00 && s->sub == 1 &&
                      (s->index & 0x0200U) == 0 && s->size == 4;
    uint32_t all = s->size == 1 ? UINT8_MAX : s->size == 2 ? UINT16_MAX : UINT32_MAX;
    all &= s->asked != 0 ? s->asked : UINT32_MAX;
    return all & ~(identifier ? (uint32_t)1 << 30 : 0U);
}

static void begin_to_start(wpin_axis *axis) {
    axis->setup = WPIN_AXIS_STARTS;
    axis->waits_us = STARTED_US;
    axis->lost_us = UINT32_MAX;
    axis->boots = axis->node.boots;
    wpin_network_command(axis->config->network, WPIN_NMT_START, axis->config->number);
}

static void hear_check(wpin_axis *axis) {
    wpin_setting s = setting(axis, axis->step);
    if (!transferred(axis, s.index, s.sub)) {
        return;
    }
    uint32_t mask = counts(&s), got = answered(axis);
    if (((got ^ s.value) & mask) != 0) {
        refuse(axis, (wpin_axis_trouble){.status = WPIN_REFUSED_CAUSE,
                                         .index = s.index,
                                         .sub = s.sub,
                                         .wanted = s.value & mask,
                                         .got = got & mask});
        return;
    }
    do {
        axis->step++;
    } while (!is_told(axis, axis->step));
    axis->setup = WPIN_AXIS_TELLS;
    if (axis->step >= setting_count(axis)) {
        begin_to_start(axis);
    }
}

static void hear_told(wpin_axis *axis) {
    wpin_setting s = setting(axis, axis->step);
    if (transferred(axis, s.index, s.sub)) {
        axis->setup = WPIN_AXIS_CHECKS;
    }
}

static bool is_over(wpin_axis *axis, uint32_t dt_us) {
    axis->waits_us -= axis->waits_us < dt_us ? axis->waits_us : dt_us;
    return axis->waits_us == 0;
}

/* What an answer led to, then the next question. */
static void hear(wpin_axis *axis) {
    switch (axis->setup) {
    case WPIN_AXIS_CALMS: hear_calmed(axis); break;
    case WPIN_AXIS_ASKS: hear_answer(axis); break;
    case WPIN_AXIS_TELLS: hear_told(axis); break;
    default: hear_check(axis); break;
    }
}

static void go_on(wpin_axis *axis) {
    switch (axis->setup) {
    case WPIN_AXIS_CALMS: calm(axis); break;
    case WPIN_AXIS_ASKS: ask(axis); break;
    case WPIN_AXIS_TELLS: tell(axis); break;
    case WPIN_AXIS_CHECKS: check(axis); break;
    default: break;
    }
}

void wpin_axis_set_up(wpin_axis *axis, uint32_t dt_us) {
    switch (axis->setup) {
    case WPIN_AXIS_WAITS:
        if (is_over(axis, dt_us)) { /* what goes on there ends before it is asked anything */
            wpin_network_command(axis->config->network, WPIN_NMT_PREPARE, axis->config->number);
            axis->setup = WPIN_AXIS_CALMS;
            go_on(axis);
        }
        break;
    case WPIN_AXIS_CALMS:
    case WPIN_AXIS_ASKS:
    case WPIN_AXIS_TELLS:
    case WPIN_AXIS_CHECKS:
        if (axis->node.doubles >= TWIN) {
            wpin_object_abort(&axis->node);
            refuse(axis, (wpin_axis_trouble){.status = WPIN_REFUSED_CONFLICT});
        } else if (wpin_object_done(&axis->node)) {
            hear(axis);
            go_on(axis);
        }
        break;
    case WPIN_AXIS_STARTS:
        if (axis->lost_us != UINT32_MAX) {
            axis->setup = WPIN_AXIS_SET_UP;
            axis->described = true;
            axis->trouble = (wpin_axis_trouble){0};
        } else if (is_over(axis, dt_us)) {
            refuse(axis, (wpin_axis_trouble){.status = WPIN_REFUSED_SILENT});
        }
        break;
    default: break;
    }
}
