/* A field bus that says anything: NETWORK (nodes and their objects), AXIS or PLAIN (an
 * actuator behind which a drive of either kind is) is defined. */
#include "any.h"
#include "use.h"

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

#ifdef PLAIN
#define ACTUATOR wpin_plain_axis_actuator
#else
#define ACTUATOR wpin_axis_actuator
#endif

static void watch(void) {
    wpin_measurement m;
    ANYTHING(m);
    wpin_watched w = {.measurement = &m,
                      .quantity = any8,
                      .setpoint = any_signed32,
                      .effort = any_signed16,
                      .held = any8};
    wpin_axis_check(&axis, NULL, &w);
}

static void prove(void) {
    ANYTHING(network_config);
    any_settings();
    wpin_network_open(&network, &network_config, &bus);
    while (any) {
        switch (any) {
        case 0: watch(); break;
        case 1: wpin_axis_begin(&axis); break;
        case 2: wpin_axis_set_position(&axis, any_signed32); break;
        case 3: (void)wpin_axis_state_of(any16); break;
        case 4: (void)wpin_axis_state_name((wpin_axis_state)any8); break;
        default: use_actuator(&ACTUATOR, &axis, &axis_config); break;
        }
    }
}
#endif

int main(void) {
    prove();
    return 0;
}
