/* A motor without sensors of the demo on simulated hardware. */
#ifndef WPIN_TESTS_SUPPORT_SENSORLESS_H
#define WPIN_TESTS_SUPPORT_SENSORLESS_H

#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>

static char output[8000];

typedef struct bench {
    wpin_rig *rig;
    wpin_sim *sim;
    wpin_port port;
    wpin_bound_load bound;
    wpin_motor motor;
    int missed;                      /* of a hundred interrupts so many never come */
    int64_t ahead;                   /* of the clock it is shown, us */
    int refused;                     /* writes that fail from here on */
    wpin_sensorless_state states[8]; /* as they came */
    int state_count;
} bench;

static bench b;
static wpin_port under;

static inline wpin_moment shown_clock(void *context) {
    return under.now(context) + (wpin_moment)b.ahead;
}

static inline wpin_status group_write(void *context, uint8_t group, uint8_t mask, uint8_t high) {
    return b.refused > 0 ? WPIN_FAULT_PORT : under.group_write(context, group, mask, high);
}

/* Every figure of motor and load off by up to a share. */
static inline void spread(wpin_part_motor *m, double share) {
    double *const figures[] = {&m->resistance, &m->inductance,      &m->constant,
                               &m->inertia,    &m->static_friction, &m->load_quadratic};
    for (size_t i = 0; i < sizeof figures / sizeof *figures; i++) {
        *figures[i] *= 1 + share * ((double)pick(2001) / 1000 - 1);
    }
    m->dry_friction = fmin(m->dry_friction, m->static_friction);
}

static inline void in_pwm_middle(void *context) {
    (void)context;
    if ((int)pick(100) >= b.missed) {
        wpin_status status = wpin_sensorless_sample(&b.bound.sensorless_at_work);
        always(status == WPIN_OK || b.refused > 0);
    }
}

static inline void set_up(const char *change, double share, double start_turns) {
    wpin_messages m = {0};
    b = (bench){0};
    ck_assert_int_eq(run_command(output, sizeof output, "sed '%s' %s/demo/honey-fan.yaml > %s",
                                 change, TEST_SOURCE, scratch("fan.yaml")),
                     0);
    b.rig = wpin_rig_read(scratch("fan.yaml"), &m);
    ck_assert_msg(b.rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_rig_load *load = &b.rig->loads[0];
    wpin_part_motor told = load->motor;
    spread(&load->motor, share); /* which the controller does not know */
    load->motor.start_turns = start_turns;
    b.sim = wpin_board_build(b.rig);
    load->motor = told;
    b.port = under = wpin_sim_port(b.sim);
    b.port.now = shown_clock;
    b.port.group_write = group_write;
    wpin_sim_switch(b.sim, 0, true);
    wpin_bind_load(&b.bound, b.rig, load);
    ck_assert_int_eq(wpin_bound_open(&b.bound, &b.motor, &b.port), WPIN_OK);
    ck_assert(wpin_sim_on_pwm_middle(b.sim, 0, in_pwm_middle, NULL));
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wpin_messages_free(&m);
}

static inline void tear_down(void) {
    size_t burns;
    wpin_sim_burns(b.sim, &burns);
    ck_assert_uint_eq(burns, 0);
    wpin_motor_close(&b.motor);
    wpin_sim_free(b.sim);
    wpin_rig_free(b.rig);
}

static inline wpin_part_reading tick(void) {
    wpin_motor_tick(&b.motor);
    wpin_sim_advance(b.sim, 1000000000LL);
    wpin_sensorless_state now = wpin_sensorless_doing(&b.bound.sensorless_at_work);
    if (b.state_count < 8 && (b.state_count == 0 || b.states[b.state_count - 1] != now)) {
        b.states[b.state_count++] = now;
    }
    return wpin_sim_read(b.sim, 0);
}

static inline wpin_part_reading wait_ms(int ms) {
    wpin_part_reading r = {0};
    for (int i = 0; i < ms; i++) {
        r = tick();
    }
    return r;
}

static inline void ask(double duty) {
    ck_assert_int_eq(
        wpin_motor_run(&b.motor, (wpin_duty)lround(duty * WPIN_DUTY_FULL), 0, WPIN_TIMEOUT_HELD),
        WPIN_OK);
}

static inline bool anything_driven(void) {
    return wpin_stage_drive(&b.bound.sensorless_at_work.stage) >= WPIN_DRIVE_SECTOR &&
           b.bound.sensorless_at_work.stage.cut == 0;
}

/* Speed at which what a duty drives, and what friction and air take, are alike, rpm. */
static inline double due_rpm(double duty) {
    const wpin_rig_load *l = &b.rig->loads[0];
    const wpin_part_motor *m = &l->motor;
    double low = 0, high = 2000;
    for (int i = 0; i < 50; i++) {
        double w = (low + high) / 2, drags = m->dry_friction + m->load_quadratic * w * w;
        bool faster = m->constant * wpin_rig_mean_amps(b.rig, l, duty, w) > drags;
        *(faster ? &low : &high) = w;
    }
    return low * 30 / 3.14159265358979;
}

/* ---- starting ---- */

#define HALF_BRIDGES                                                                               \
    "s/kind: three-phase-bridge-high/kind: three-half-bridges/;s/dead-time: "                      \
    "1us//;s/a-high/a/;s/a-low/"                                                                   \
    "a-enable/;s/b-high/b/;s/b-low/b-enable/;s/c-high/c/;s/c-low/c-enable/"

static const char *const kinds[] = {
    "",
    "s/pole-pairs: 4/back-emf: sine, pole-pairs: 4/",
    "s/three-phase-bridge-high/three-phase-bridge/",
    HALF_BRIDGES,
    "s/pole-pairs: 4/pole-pairs: 1/",
    "s/pole-pairs: 4/pole-pairs: 7/",
    "s/inertia: 250gcm2/inertia: 2000gcm2/;s/zero-crossing: {/zero-crossing: {align: 800ms, /",
};
enum { KINDS = sizeof kinds / sizeof *kinds, STARTS = 4 };

#endif
