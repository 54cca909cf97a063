/* A simulated drive on a field bus: node.c, node_data.c and node_objects.c are its side of CiA 301,
 * state.c and moves.c that of CiA 402, loops.c turns what it is to do into volts for its motor. It
 * shares no code with the core, which it is to test. Private to the simulator. */
#ifndef WPIN_SIM_SERVO_H
#define WPIN_SIM_SERVO_H

#include "can.h"
#include "objects.h"
#include "windpin/host/parts.h"

/* Its own control period, ps. */
#define WPIN_SERVO_STEP_PS 250000000
#define WPIN_SERVO_STEP    250e-6

/* States of CiA 402. */
typedef enum wpin_servo_state {
    SERVO_STARTS,
    SERVO_DISABLED,
    SERVO_READY,
    SERVO_ON,
    SERVO_ENABLED,
    SERVO_QUICK_STOP,
    SERVO_REACTS,
    SERVO_FAULT
} wpin_servo_state;

enum {
    SERVO_MODE_POSITION = 1,
    SERVO_MODE_PLAIN = 2,
    SERVO_MODE_VELOCITY = 3,
    SERVO_MODE_TORQUE = 4,
    SERVO_MODE_HOMING = 6
};

/* An object on its way in pieces. */
typedef struct wpin_servo_transfer {
    bool out, in;
    int object;
    unsigned toggle;
    const char *text;
    size_t sent;
} wpin_servo_transfer;

/* What it knows of its motor. SI, on the motor's own shaft. */
typedef struct wpin_servo_motor {
    double resistance, inductance, constant, inertia, rated_amps, counts;
    double volts; /* of its supply, usually */
    double unit;  /* counts/s of its unit of velocity */
} wpin_servo_motor;

typedef struct wpin_servo {
    wpin_can *can;
    int station;
    uint8_t number;
    wpin_servo_motor motor;
    int64_t values[OD_COUNT], stored[OD_COUNT];
    bool powered;
    bool deaf;       /* it answers, and does nothing */
    bool cable_off;  /* of the bus */
    bool bus_off;    /* its end of the bus met too many errors, and does after each start */
    bool other_rate; /* than the bus */
    bool local;      /* its keys command it */
    unsigned switches;
    wpin_part_object others[WPIN_PART_OBJECTS]; /* objects of its make */
    size_t other_count;
    int64_t alive_at;     /* boots until then, ps */
    int64_t stores_until; /* ps; 0: it stores nothing now */
    bool half_stored;     /* what it has stored is worth nothing */
    /* node */
    int nmt;                          /* as in its heartbeat; -1: off */
    int64_t heartbeat_at, watched_at; /* ps */
    bool watching;
    bool guarded;       /* it is asked for its state, last at guarded_at */
    int64_t guarded_at; /* ps */
    unsigned toggle;    /* of its next answer: 0 or 128 */
    unsigned syncs[2];
    wpin_servo_transfer transfer;
    /* state */
    wpin_servo_state state;
    unsigned control;
    int error;        /* code it is in fault for */
    bool tells_error; /* it has yet to say so, or that it is gone */
    bool reached, taken, halted, homed, home_failed;
    /* moves: counts, counts/s */
    double velocity_ref, position_ref, goal, target, before; /* before: velocity_ref a period ago */
    bool at_work;                                            /* towards a place */
    double offset; /* position shown = measured + offset */
    double window_for, off_for, blocked_for, slow_for, heat; /* s */
    int homing_step;
    /* loops */
    double integral, velocity, amps_ref, measured, position;
    double volts_out; /* -1 to 1: what it drives its motor with, as a share of its supply */
    bool drives;
    double volts_now, amps_now, logic_volts;
} wpin_servo;

/* It has these objects too. */
void wpin_servo_add(wpin_servo *s, const wpin_part_object *objects, size_t count);
/* Ready for power. */
void wpin_servo_init(wpin_servo *s, wpin_can *can, uint8_t number, const wpin_servo_motor *motor);
/* One control period: what it sees now, and then wants of its stage: drives and volts_out. */
typedef struct wpin_servo_sight {
    double turns, amps, volts; /* of the motor's shaft; A; V of its supply */
    double logic_volts;        /* of its own controller */
    unsigned limits;
} wpin_servo_sight;
void wpin_servo_step(wpin_servo *s, int64_t now, const wpin_servo_sight *sight);
/* A frame on the bus. */
void wpin_servo_hear(void *servo, const wpin_frame *frame, int64_t at);

/* ---- between its files ---- */

/* Whether its commands come over the bus. */
static inline bool wpin_servo_is_remote(const wpin_servo *s) {
    return s->values[OD_SOURCE] == 0 && !s->local;
}

/* node.c: begins anew as after power; time passes, and what is to be told is. */
void wpin_servo_boot(wpin_servo *s, int64_t now);
void wpin_servo_talk(wpin_servo *s, int64_t now);
/* state.c: the control word was written; the state goes on by itself; a fault. */
void wpin_servo_obey(wpin_servo *s);
void wpin_servo_go_on(wpin_servo *s);
void wpin_servo_fail(wpin_servo *s, int code);
/* moves.c: one period of its profile. */
void wpin_servo_move(wpin_servo *s);
/* loops.c: one period of its regulators; from rest at where it is. */
void wpin_servo_rest(wpin_servo *s);
void wpin_servo_regulate(wpin_servo *s);

#endif
