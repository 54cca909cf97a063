/* A field bus that says anything: NETWORK (nodes and their objects), AXIS or PLAIN (a motor behind
 * a drive of either kind) is defined. */
#include "any.h"

static bool any_send(void *c, const wpin_frame *frame) {
    (void)c;
    /*@ assert frame_fits: frame->length <= 8 && frame->id <= 0x7FF; */
    return ANY_BOOL;
}

static bool any_receive(void *c, wpin_frame *frame) {
    (void)c;
    ANYTHING(*frame);
    frame->remote = ANY_BOOL;
    return ANY_BOOL;
}

static void any_drop(void *c) {
    (void)c;
}

static const wpin_fieldbus bus = {
    .send = any_send, .receive = any_receive, .now = any_now, .drop = any_drop};
static wpin_network network;
static wpin_network_config network_config;

#ifdef NETWORK
static wpin_node one, other;
static uint8_t buffer[32];
static wpin_serial_reader reader;

static void any_take(void *c, uint8_t number, const wpin_frame *frame) {
    (void)c, (void)number, (void)frame;
}

static void prove(void) {
    ANYTHING(network_config);
    for (int i = 0; i < 32; i++) {
        buffer[i] = any8;
    }
    while (any) {
        wpin_node *node = any ? &one : &other;
        uint16_t room = any16;
        room = room > sizeof buffer ? sizeof buffer : room;
        switch (any) {
        case 0:
            wpin_network_open(&network, &network_config, &bus);
            one.network = other.network = NULL;
            break;
        case 1: wpin_network_add(&network, node, any8); break;
        case 2: wpin_network_poll(&network); break;
        case 3: wpin_network_command(&network, any8, any8); break;
        case 4: wpin_object_read(node, any16, any8, buffer, room); break;
        case 5: wpin_object_write(node, any16, any8, buffer, room); break;
        case 6: wpin_object_write_number(node, any16, any8, any32, any8); break;
        case 7: wpin_object_abort(node); break;
        case 8: node->take = any ? any_take : NULL; break;
        case 9: (void)wpin_object_done(node); break;
        case 10: {
            wpin_frame frame = {.id = any16, .length = any8, .remote = ANY_BOOL};
            uint8_t line[WPIN_SERIAL_BYTES];
            (void)wpin_serial_write(&frame, line);
            (void)wpin_serial_read(&reader, any8, &frame);
            break;
        }
        default: (void)wpin_abort_text(any32); break;
        }
    }
}
#endif

#if defined AXIS || defined PLAIN
static wpin_axis axis;
static wpin_axis_config axis_config;
static wpin_setting settings[3];
static wpin_motor motor;
static wpin_loop_state loop_state;
static wpin_motor_config config;
static const wpin_protection protections[] = {WPIN_AXIS_PROTECTION(&axis)};

static void any_settings(void) {
    for (int i = 0; i < 3; i++) {
        ANYTHING(settings[i]);
    }
    ANYTHING(axis_config);
    axis_config.network = &network;
    axis_config.reversed = ANY_BOOL;
    axis_config.any_source = ANY_BOOL;
    axis_config.settings = settings;
    axis_config.setting_count = any8;
    if (axis_config.setting_count > 3) {
        axis_config.setting_count = 3;
    }
}

static void prove(void) {
    ANYTHING(network_config);
    any_settings();
    any_motor(&config);
#ifdef PLAIN
    config.actuator = &wpin_plain_axis_actuator;
#else
    config.actuator = &wpin_axis_actuator;
#endif
    config.part = &axis;
    config.part_config = &axis_config;
    config.loop = &wpin_closed_loop;
    config.loop_state = &loop_state;
    config.protections = protections;
    config.protection_count = 1;
    config.sense.place = wpin_axis_set_position;
    config.sense.context = &axis;
    config.sense.more = NULL;
    config.at_speed = any16;
    config.at_count = any16;
    config.settle_ms = any16;
    config.counts_per_turn = any32;
    wpin_network_open(&network, &network_config, &bus);
    while (any) {
        switch (any) {
        case 0: wpin_motor_init(&motor, &config, &any_port); break;
        case 1: wpin_motor_tick(&motor); break;
        case 2: wpin_motor_arm(&motor); break;
        case 3: wpin_motor_turn(&motor, any_signed32, any32); break;
        case 4: wpin_motor_turn_to(&motor, any_signed32, any32); break;
        case 5:
            wpin_motor_request(&motor, (wpin_setpoint){any8, any_signed32}, any32, any32);
            break;
        case 6: wpin_motor_stop(&motor, any32); break;
        case 7: wpin_motor_coast(&motor); break;
        case 8: wpin_motor_brake(&motor); break;
        case 9: wpin_motor_trip(&motor, (wpin_status)any8); break;
        case 10: wpin_motor_clear_fault(&motor); break;
        case 11: wpin_motor_set_position(&motor, any_signed32); break;
        case 12: (void)wpin_axis_state_of(any16); break;
        case 13: (void)wpin_axis_state_name((wpin_axis_state)any8); break;
        case 14: wpin_motor_disarm(&motor); break;
        case 15: wpin_motor_home(&motor, any32); break;
        default: wpin_motor_close(&motor); break;
        }
    }
}
#endif

int main(void) {
    prove();
    return 0;
}
