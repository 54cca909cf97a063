/* Frames of a field bus by hand: those of the standard, a network by itself, a serial line. */
#include "support_axis.h"

/* ---- frames by hand ---- */

static wpin_frame sent[512], heard[64];
static unsigned sent_count, heard_count, heard_first;

static bool fake_send(void *context, const wpin_frame *frame) {
    (void)context;
    sent[sent_count++ % 512] = *frame;
    return true;
}

static bool fake_receive(void *context, wpin_frame *frame) {
    (void)context;
    if (heard_first == heard_count) {
        return false;
    }
    *frame = heard[heard_first++ % 64];
    return true;
}

static wpin_moment fake_time;
static wpin_moment fake_now(void *context) {
    (void)context;
    return fake_time;
}

static const wpin_fieldbus fake = {NULL, fake_send, fake_receive, fake_now, NULL};

/* What goes out (">") and comes in ("<"), worked out by hand from CiA 301. */
typedef struct exchange {
    char way;
    uint16_t id;
    uint8_t length, data[8];
} exchange;
static const exchange short_read[] = {
    {'>', 0x605, 8, {0x40, 0x18, 0x10, 0x01}},
    {'<', 0x585, 8, {0x43, 0x18, 0x10, 0x01, 0x78, 0x56, 0x34, 0x12}}};
static const exchange one_byte[] = {{'>', 0x605, 8, {0x2F, 0x60, 0x60, 0x00, 0x03}},
                                    {'<', 0x585, 8, {0x60, 0x60, 0x60, 0x00}}};
static const exchange two_bytes[] = {{'>', 0x605, 8, {0x2B, 0x73, 0x60, 0x00, 0xDC, 0x05}},
                                     {'<', 0x585, 8, {0x60, 0x73, 0x60, 0x00}}};
static const exchange four_bytes[] = {{'>', 0x605, 8, {0x23, 0x83, 0x60, 0x00, 0x40, 0x9C}},
                                      {'<', 0x585, 8, {0x60, 0x83, 0x60, 0x00}}};
static const exchange long_read[] = {{'>', 0x605, 8, {0x40, 0x08, 0x10, 0x00}},
                                     {'<', 0x585, 8, {0x41, 0x08, 0x10, 0x00, 0x0A}},
                                     {'>', 0x605, 8, {0x60}},
                                     {'<', 0x585, 8, {0x00, 'c', 'o', 'n', 'v', 'e', 'y', 'o'}},
                                     {'>', 0x605, 8, {0x70}},
                                     {'<', 0x585, 8, {0x19, 'r', '-', '1'}}};
static const exchange long_write[] = {{'>', 0x605, 8, {0x21, 0x08, 0x10, 0x00, 0x0A}},
                                      {'<', 0x585, 8, {0x60, 0x08, 0x10, 0x00}},
                                      {'>', 0x605, 8, {0x00, 'c', 'o', 'n', 'v', 'e', 'y', 'o'}},
                                      {'<', 0x585, 8, {0x20}},
                                      {'>', 0x605, 8, {0x19, 'r', '-', '1'}},
                                      {'<', 0x585, 8, {0x30}}};
static const exchange refused[] = {
    {'>', 0x605, 8, {0x40, 0x99, 0x99, 0x00}},
    {'<', 0x585, 8, {0x80, 0x99, 0x99, 0x00, 0x00, 0x00, 0x02, 0x06}}};
static const struct {
    const exchange *frames;
    unsigned count;
    uint16_t index;
    uint8_t sub;
    unsigned writes; /* bytes; 0: it reads */
    uint32_t value;
    wpin_status result;
} by_hand[] = {{short_read, 2, 0x1018, 1, 0, 0x12345678, WPIN_OK},
               {one_byte, 2, 0x6060, 0, 1, 3, WPIN_OK},
               {two_bytes, 2, 0x6073, 0, 2, 1500, WPIN_OK},
               {four_bytes, 2, 0x6083, 0, 4, 40000, WPIN_OK},
               {long_read, 6, 0x1008, 0, 0, 0, WPIN_OK},
               {long_write, 6, 0x1008, 0, 10, 0, WPIN_OK},
               {refused, 2, 0x9999, 0, 0, 0, WPIN_REFUSED_OBJECT}};

static wpin_network net;
static wpin_node node;
static const wpin_network_config quiet = {.answer_us = 50000};

static void open_fake(const wpin_network_config *config) {
    sent_count = heard_count = heard_first = 0;
    fake_time = 0xFFFFF000; /* about to wrap */
    ck_assert_int_eq(wpin_network_open(&net, config, &fake), WPIN_OK);
    ck_assert_int_eq(wpin_network_add(&net, &node, NODE), WPIN_OK);
}

static void say(const exchange *e) {
    wpin_frame *f = &heard[heard_count++ % 64];
    *f = (wpin_frame){.id = e->id, .length = e->length};
    memcpy(f->data, e->data, 8);
}

START_TEST(frames_are_those_of_the_standard) {
    uint8_t buffer[32] = {0};
    open_fake(&quiet);
    const char *text = "conveyor-1";
    wpin_status begun =
        by_hand[_i].writes == 0
            ? wpin_object_read(&node, by_hand[_i].index, by_hand[_i].sub, buffer, sizeof buffer)
        : by_hand[_i].writes > 4
            ? wpin_object_write(&node, by_hand[_i].index, by_hand[_i].sub, text, 10)
            : wpin_object_write_number(&node, by_hand[_i].index, by_hand[_i].sub, by_hand[_i].value,
                                       (uint8_t)by_hand[_i].writes);
    ck_assert_int_eq(begun, WPIN_OK);
    ck_assert_int_eq(wpin_object_read(&node, 0x1000, 0, buffer, 4), WPIN_REFUSED_BUSY);
    unsigned out = 0;
    for (unsigned i = 0; i < by_hand[_i].count; i++) {
        const exchange *e = &by_hand[_i].frames[i];
        if (e->way == '<') {
            say(e);
            wpin_network_poll(&net);
            continue;
        }
        ck_assert_uint_gt(sent_count, out);
        ck_assert_uint_eq(sent[out].id, e->id);
        ck_assert_uint_eq(sent[out].length, e->length);
        ck_assert_mem_eq(sent[out++].data, e->data, 8);
    }
    ck_assert_uint_eq(sent_count, out);
    ck_assert(wpin_object_done(&node));
    ck_assert_int_eq(node.transfer.result, by_hand[_i].result);
    if (by_hand[_i].index == 0x1008 && by_hand[_i].writes == 0) {
        ck_assert_uint_eq(node.transfer.size, 10);
        ck_assert_str_eq((const char *)buffer, text);
    } else if (by_hand[_i].writes == 0 && by_hand[_i].result == WPIN_OK) {
        ck_assert_uint_eq(wpin_number_from(buffer, 4), by_hand[_i].value);
    }
}
END_TEST

START_TEST(what_a_network_says_by_itself) {
    static const wpin_network_config beats = {
        .sync_us = 4000, .heartbeat_us = 20000, .number = 127};
    unsigned syncs = 0, hearts = 0;
    open_fake(&beats);
    for (int ms = 0; ms < 400; ms++, fake_time += 1000) {
        wpin_network_poll(&net);
    }
    for (unsigned i = 0; i < sent_count; i++) {
        bool heart = sent[i].id == 0x77F && sent[i].length == 1 && sent[i].data[0] == 5;
        bool sync = sent[i].id == 0x080 && sent[i].length == 0;
        ck_assert(heart || sync);
        syncs += sync;
        hearts += heart;
    }
    ck_assert_uint_eq(syncs, 100);
    ck_assert_uint_eq(hearts, 20);
    node.heartbeat_us = 50000;
    say(&(exchange){'<', 0x705, 1, {0x05}});
    wpin_network_poll(&net);
    ck_assert_uint_eq(node.state, WPIN_NODE_OPERATIONAL);
    fake_time += 60000;
    wpin_network_poll(&net);
    ck_assert_uint_eq(node.state, WPIN_NODE_UNKNOWN);
    say(&(exchange){'<', 0x085, 8, {0x21, 0x71, 0x01}});
    wpin_network_poll(&net);
    ck_assert_uint_eq(node.emergency, 0x7121);
    ck_assert(wpin_network_command(&net, WPIN_NMT_START, NODE));
    ck_assert_uint_eq(sent[(sent_count - 1) % 512].id, 0);
    ck_assert_mem_eq(sent[(sent_count - 1) % 512].data, ((uint8_t[]){1, 5}), 2);
}
END_TEST

START_TEST(a_silent_node_is_asked_three_times) {
    uint8_t four[4];
    open_fake(&quiet);
    ck_assert_int_eq(wpin_object_read(&node, 0x1000, 0, four, 4), WPIN_OK);
    for (int ms = 0; ms < 400; ms++, fake_time += 1000) {
        wpin_network_poll(&net);
        fake_time -= ms % 50 == 7 ? 1 : 0; /* now and then it runs back */
    }
    ck_assert(wpin_object_done(&node));
    ck_assert_int_eq(node.transfer.result, WPIN_REFUSED_SILENT);
    ck_assert_uint_eq(node.retries, 2);
    ck_assert_uint_eq(sent_count, 4); /* and then told that it is given up */
    ck_assert_uint_eq(sent[3].data[0], 0x80);
    ck_assert_int_eq(wpin_object_read(&node, 0x1000, 0, four, 4), WPIN_OK); /* on it goes */
}
END_TEST

START_TEST(frames_go_over_a_serial_line) {
    static const uint8_t by_hand_line[] = {0xA5, 0x02, 0x00, 0x00, 0x01, 0x05};
    static const wpin_frame by_hand_frame = {.id = 0, .length = 2, .data = {1, 5}};
    uint8_t bytes[WPIN_SERIAL_BYTES];
    ck_assert_uint_eq(wpin_serial_write(&by_hand_frame, bytes), 8);
    ck_assert_mem_eq(bytes, by_hand_line, sizeof by_hand_line);
    wpin_serial_reader reader = {0};
    wpin_frame got;
    unsigned whole = 0, damaged = 0, wrong = 0;
    pick_seed(77);
    for (int i = 0; i < 20000; i++) {
        wpin_frame f = {
            .id = (uint16_t)pick(0x800), .length = (uint8_t)pick(9), .remote = pick(9) == 0};
        for (int n = 0; n < f.length && !f.remote; n++) {
            f.data[n] = (uint8_t)(pick(3) == 0 ? 0xA5 : pick(256)); /* what begins a frame, too */
        }
        uint8_t count = wpin_serial_write(&f, bytes);
        ck_assert_uint_le(count, WPIN_SERIAL_BYTES);
        bool hit = pick(10) == 0;
        bytes[pick(count)] ^= hit ? (uint8_t)(1U << pick(8)) : 0;
        for (uint32_t noise = pick(20) == 0 ? pick(6) : 0; noise > 0; noise--) {
            (void)wpin_serial_read(&reader, (uint8_t)pick(256), &got);
        }
        for (uint8_t n = 0; n < count; n++) {
            if (wpin_serial_read(&reader, bytes[n], &got)) {
                whole++;
                bool same = got.id == f.id && got.length == f.length && got.remote == f.remote &&
                            memcmp(got.data, f.data, 8) == 0;
                wrong += !same;
            }
        }
        damaged += hit;
    }
    ck_assert_uint_ge(whole, 15000); /* what follows a damaged one may be taken for its rest */
    ck_assert_uint_le(whole, 20000);
    ck_assert_uint_le(wrong, 2); /* a check value of 16 bits fits once in 65536 */
    ck_assert_uint_gt(reader.bad, damaged / 2);
    ck_assert_uint_eq(wpin_serial_write(&(wpin_frame){.id = 0x800}, bytes), 0);
    ck_assert_uint_eq(wpin_serial_write(&(wpin_frame){.length = 9}, bytes), 0);
}
END_TEST

/* Whatever is heard, a motor that is not armed is not told to drive, and nothing is written where
 * it may not be. */
START_TEST(anything_may_be_heard) {
    const char *asked = getenv("WPIN_FRAMES");
    long frames = asked != NULL ? atol(asked) : 200000;
    build();
    b.bus = fake;
    sent_count = heard_count = heard_first = 0;
    pick_seed(4711 + (uint32_t)_i);
    ck_assert_int_eq(wpin_network_open(&b.network, &b.network_config, &b.bus), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    for (long i = 0; i < frames; i++) {
        static const uint16_t kinds[] = {0, 0x80, 0x180, 0x280, 0x580, 0x580, 0x580, 0x700};
        wpin_frame *f = &heard[heard_count++ % 64];
        bool ours = pick(4) != 0;
        f->id = (uint16_t)(ours ? kinds[pick(8)] + (uint32_t)NODE : pick(0x900));
        f->length = (uint8_t)(pick(8) != 0 ? 8 : pick(12));
        f->remote = pick(50) == 0;
        for (int n = 0; n < 8; n++) {
            f->data[n] = (uint8_t)pick(256);
        }
        const wpin_transfer *t = &b.axis.node.transfer;
        if (pick(3) == 0) { /* an answer that fits what was asked */
            f->id = 0x580 + NODE;
            f->length = 8;
            f->data[0] = (uint8_t)(pick(2) != 0 ? 0x60U : 0x43U + 4U * pick(4));
            wpin_number_to(&f->data[1], t->index, 2);
            f->data[3] = t->sub;
        }
        unsigned from = sent_count;
        if (pick(4) == 0) {
            fake_time += pick(2000);
            wpin_sim_advance(b.sim, 100000000);
            wpin_motor_tick(&b.motor);
        }
        for (; from < sent_count; from++) {
            const wpin_frame *out = &sent[from % 512];
            bool control = out->id == 0x200 + NODE;
            ck_assert(out->length <= 8 && out->id <= 0x7FF);
            ck_assert(!control || (out->data[0] & 0x0F) != 0x0F);
        }
    }
    end();
}
END_TEST

int main(void) {
    Suite *suite = suite_create("frames");
    TCase *tests = tcase_create("drive");
    tcase_set_timeout(tests, 300);
    tcase_add_loop_test(tests, frames_are_those_of_the_standard, 0,
                        sizeof by_hand / sizeof *by_hand);
    tcase_add_test(tests, what_a_network_says_by_itself);
    tcase_add_test(tests, a_silent_node_is_asked_three_times);
    tcase_add_test(tests, frames_go_over_a_serial_line);
    tcase_add_loop_test(tests, anything_may_be_heard, 0, 2);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
