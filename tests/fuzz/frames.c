/* Anything at all on a field bus: frames and the bytes of a serial line, between calls of the
 * motors behind drives, on a clock that stands, runs and jumps. Questions about objects are mostly
 * answered as a drive would, so that the way past the set-up is found. */
#include "input.h"
#include <stdlib.h>
#include <string.h>
#include <windpin/windpin.h>

enum { DRIVES = 2, OBJECTS = 64, QUEUE = 16, FIRST = 5 };

static struct {
    fuzz_numbers in;
    wpin_moment now;
    bool takes;                /* the bus has room */
    uint16_t controls[DRIVES]; /* control word each was told last */
    struct {
        uint32_t name, value;
    } objects[OBJECTS];
    wpin_frame queue[QUEUE];
    unsigned queued, kept;
    wpin_network network;
    wpin_axis axes[DRIVES];
    wpin_motor motors[DRIVES];
} b;

static wpin_moment now(void *context) {
    (void)context;
    return b.now;
}

static uint8_t lock(void *context) {
    (void)context;
    return 0;
}

static void unlock(void *context, uint8_t state) {
    (void)context, (void)state;
}

static void let_pass(void *context, uint32_t us) {
    (void)context;
    b.now += us;
}

static void kick(void *context) {
    (void)context;
}

static const wpin_port port = {
    .now = now, .lock = lock, .unlock = unlock, .pause = let_pass, .kick = kick};

static void put(const wpin_frame *frame) {
    if (b.queued < QUEUE) {
        b.queue[b.queued++] = *frame;
    }
}

/* ---- a drive that answers about its objects ---- */

static uint32_t *object(uint32_t name) {
    for (unsigned i = 0; i < OBJECTS; i++) {
        if (b.objects[i].name == name || i == b.kept) {
            b.kept += i == b.kept;
            b.objects[i].name = name;
            return &b.objects[i].value;
        }
    }
    return &b.objects[0].value;
}

static void answer(const wpin_frame *question) {
    const uint8_t *q = question->data;
    wpin_frame a = {.id = (uint16_t)(question->id - WPIN_ID_QUESTION + WPIN_ID_ANSWER),
                    .length = 8};
    memcpy(a.data, q, 4);
    uint32_t *value = object(wpin_number_from(&q[1], 3) + ((uint32_t)question->id << 24));
    if (q[0] >> 5 == 1) { /* a value is told */
        *value = wpin_number_from(&q[4], 4);
        a.data[0] = 0x60;
    } else { /* it is asked for */
        a.data[0] = 0x43;
        wpin_number_to(&a.data[4], *value, 4);
    }
    put(&a);
}

/* ---- the bus ---- */

static bool send_frame(void *context, const wpin_frame *frame) {
    (void)context;
    if (frame->id > WPIN_FRAME_ID_MAX || frame->length > WPIN_FRAME_BYTES) {
        abort();
    }
    if (!b.takes) {
        return false;
    }
    uint8_t bytes[WPIN_SERIAL_BYTES];
    wpin_serial_reader reader = {.count = 0};
    wpin_frame back;
    for (uint8_t i = 0, n = wpin_serial_write(frame, bytes); i < n; i++) {
        if (wpin_serial_read(&reader, bytes[i], &back) !=
            (i == n - 1 /* whole with its last byte, and the same */)) {
            abort();
        }
    }
    if (back.id != frame->id || memcmp(back.data, frame->data, frame->length) != 0) {
        abort();
    }
    unsigned drive = (frame->id & 0x7FU) - FIRST, what = frame->id & 0x780U;
    if (drive < DRIVES && (what == WPIN_ID_IN_1 || what == WPIN_ID_IN_1 + 0x100)) {
        b.controls[drive] = (uint16_t)wpin_number_from(frame->data, 2);
    }
    if (what == WPIN_ID_QUESTION && frame->length == 8) {
        answer(frame);
    }
    return true;
}

static bool receive_frame(void *context, wpin_frame *frame) {
    (void)context;
    if (b.queued == 0) {
        return false;
    }
    *frame = b.queue[0];
    memmove(b.queue, &b.queue[1], --b.queued * sizeof *b.queue);
    return true;
}

static const wpin_fieldbus bus = {.send = send_frame, .receive = receive_frame, .now = now};

/* ---- the bench ---- */

static const wpin_network_config network_config = {
    .sync_us = 4000, .heartbeat_us = 30000, .number = 127};
static const wpin_setting settings[] = {{0x6065, 0, 4, 4000, 0}, {0x60FF, 0, 4, 3, 7}};
static const wpin_axis_config configs[DRIVES] = {
    {.network = &b.network,
     .number = FIRST,
     .full_speed = 200000,
     .full_current = 3000,
     .heartbeat_ms = 100,
     .settings = settings,
     .setting_count = 2},
    {.network = &b.network, .number = FIRST + 1, .full_speed = 3000, .guard_ms = 40},
};
static const wpin_protection watch[DRIVES] = {WPIN_AXIS_PROTECTION(&b.axes[0]),
                                              WPIN_AXIS_PROTECTION(&b.axes[1])};
static wpin_loop_state loops[DRIVES];
static const wpin_motor_config motors[DRIVES] = {
    {WPIN_ON_AXIS(&b.axes[0], &configs[0]),
     .guard = {.cap = WPIN_DUTY_FULL, .up = WPIN_SLEW_US(100000), .down = WPIN_SLEW_US(100000)},
     .sense = {.place = wpin_axis_set_position, .context = &b.axes[0], .current_mv_per_a = 1000},
     WPIN_CLOSED_LOOP(&loops[0]), .protections = &watch[0], .protection_count = 1, .at_count = 4,
     .counts_per_turn = 4000},
    {WPIN_ON_PLAIN_AXIS(&b.axes[1], &configs[1]),
     .guard = {.cap = WPIN_DUTY_FULL, .up = WPIN_SLEW_US(100000), .down = WPIN_SLEW_US(100000)},
     .sense = {.current_mv_per_a = 1000}, WPIN_CLOSED_LOOP(&loops[1]), .protections = &watch[1],
     .protection_count = 1, .safe_drive = WPIN_DRIVE_BRAKE},
};

static void begin(void) {
    b.takes = true;
    b.queued = 0;
    (void)wpin_network_open(&b.network, &network_config, &bus);
    for (int i = 0; i < DRIVES; i++) {
        (void)wpin_motor_init(&b.motors[i], &motors[i], &port);
    }
}

static void tick(void) {
    for (int i = 0; i < DRIVES; i++) {
        wpin_motor_tick(&b.motors[i]);
    }
}

/* ---- what happens ---- */

static void say_any(void) {
    static const uint16_t kinds[] = {0x080, 0x180, 0x280, 0x380, 0x480, 0x580, 0x700, 0x200};
    uint32_t kind = fuzz_number(&b.in, 1);
    wpin_frame frame = {.id = (uint16_t)(kinds[kind & 7] + FIRST + (kind >> 3 & 1)),
                        .length = (uint8_t)(kind >> 4 & 15),
                        .remote = false};
    if (frame.length > 8) {
        frame.id = (uint16_t)(fuzz_number(&b.in, 2) & 0x7FF);
        frame.length = (uint8_t)(frame.length - 8);
    }
    for (int i = 0; i < frame.length; i++) {
        frame.data[i] = (uint8_t)fuzz_number(&b.in, 1);
    }
    put(&frame);
}

static void hear_line(void) {
    static wpin_serial_reader reader;
    wpin_frame frame;
    for (uint32_t n = fuzz_number(&b.in, 1) & 31; n > 0; n--) {
        if (wpin_serial_read(&reader, (uint8_t)fuzz_number(&b.in, 1), &frame)) {
            put(&frame);
        }
    }
}

static void ask(wpin_motor *m) {
    uint32_t what = fuzz_number(&b.in, 1);
    int32_t value = (int16_t)fuzz_number(&b.in, 2);
    wpin_setpoint setpoint = {(uint8_t)(what >> 4 & 3), value};
    switch (what & 15) {
    case 0: (void)wpin_motor_arm(m); break;
    case 1: (void)wpin_motor_request(m, setpoint, 0, 1000); break;
    case 2: (void)wpin_motor_turn(m, value, 5000); break;
    case 3: (void)wpin_motor_turn_to(m, value * 100, 5000); break;
    case 4: (void)wpin_motor_home(m, 2000); break;
    case 5: (void)wpin_motor_stop(m, (uint32_t)what << 12); break;
    case 6: (void)wpin_motor_coast(m); break;
    case 7: (void)wpin_motor_brake(m); break;
    case 8: wpin_motor_trip(m, WPIN_FAULT_EXTERNAL); break;
    case 9: (void)wpin_motor_clear_fault(m); break;
    case 10: wpin_motor_disarm(m); break;
    case 11: (void)wpin_motor_set_position(m, value); break;
    case 12: wpin_motor_close(m); break;
    case 13: (void)wpin_motor_run(m, (int16_t)value, what, 500); break;
    default: begin(); break;
    }
}

/* Disarmed, and with room on the bus again, no drive is told to turn. */
static void check_end(void) {
    b.takes = true;
    for (int i = 0; i < DRIVES; i++) {
        wpin_motor_disarm(&b.motors[i]);
    }
    for (int i = 0; i < 8; i++) {
        b.now += 1000;
        tick();
    }
    for (int i = 0; i < DRIVES; i++) {
        if (b.motors[i].config != NULL && (b.controls[i] & 15U) == 15U) {
            abort();
        }
        wpin_motor_close(&b.motors[i]);
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    memset(&b, 0, sizeof b);
    b.in = (fuzz_numbers){data, size};
    b.now = fuzz_number(&b.in, 4);
    begin();
    while (b.in.left > 0) {
        uint32_t what = fuzz_number(&b.in, 1), times = what >> 3;
        switch (what & 7) {
        case 0: say_any(); break;
        case 1: hear_line(); break;
        case 2: ask(&b.motors[what >> 3 & 1]); break;
        case 3: b.takes = !b.takes; break;
        case 4: b.now += fuzz_number(&b.in, 3); break; /* late, or a step back of the clock */
        default:
            for (; times > 0; times--) {
                b.now += 1000;
                tick();
            }
            break;
        }
    }
    check_end();
    return 0;
}
