/* The world of the safety test: true time, pins, a port on them and the judge over them. */
#ifndef WPIN_TESTS_SAFETY_WORLD_H
#define WPIN_TESTS_SAFETY_WORLD_H

#include "../support.h"
#include <windpin/host/rig.h>

enum {
    DEAD_US = 3,
    PAUSE_US = 60000,
    MINIMUM_US = 20000,
    TICK_US = 1000,
    LATE_US = 2000,
    LINES = 8,
    HALL = 14
};

typedef struct world {
    wpin_port port;
    uint64_t now;         /* true time, us */
    int64_t ahead;        /* how far the controller's clock is off */
    int stands;           /* ticks it still stands for */
    wpin_moment standing; /* what it says meanwhile */
    bool honest;          /* a clock and calls that behave */
    int level[LINES];     /* 0, 1, 2 floating; -1 PWM */
    uint16_t duty[LINES];
    bool output[LINES], complement[LINES];
    uint64_t off_at[LINES]; /* when a line was last turned off */
    unsigned locked;
    unsigned written; /* calls that write to lines since the lock was taken */
    unsigned long interrupts, failures;
    uint64_t failed_at;
    bool inside; /* the second context does not interrupt itself */
    const wpin_stage_kind *kind;
    wpin_motor motor;
    wpin_stage stage;
    wpin_stepper stepper;
    wpin_six_step six_step;
    unsigned sector; /* of a brushless rotor */
    int lied;        /* ticks since a Hall sensor did still count */
    unsigned nested;
    wpin_six_step_config six_step_config;
    bool oriented; /* by field orientation instead */
    wpin_vector vector;
    wpin_vector_config vector_config;
    wpin_stage_config stage_config;
    wpin_motor_config config;
    wpin_stepper_config stepper_config;
    wpin_line lines[LINES];
    /* what the judge knows */
    bool may_drive; /* armed, by what the calls returned, and neither disarmed nor tripped since */
    int direction;  /* it was last driven in; 0: never */
    uint64_t driven_at, changed_at;
    bool was_on;
    uint32_t shown, shown_before; /* duty of a driven row */
    uint32_t shown_for;           /* ticks since it was noted */
    uint64_t stop_at;             /* the last stop, with nothing asked since; 0: none */
    uint64_t end_at;              /* when the last request must have ended by itself; 0: unknown */
    unsigned long trips, reversals, drives;
} world;

extern world w;

#define JUDGE(condition, ...)                                                                      \
    do {                                                                                           \
        if (!(condition)) {                                                                        \
            fprintf(stderr, "%s at %llu us: ", w.kind->name, (unsigned long long)w.now);           \
            ck_abort_msg(__VA_ARGS__);                                                             \
        }                                                                                          \
    } while (0)

/* A motor on a stage of this kind, armed by nobody, in an honest world; where it has three phases,
 * by six steps or by field orientation. */
void set_up(const wpin_stage_kind *kind, bool grouped, bool oriented);
/* The port, with or without group writes. */
void connect_port(bool grouped);
/* What the second context does: called by the port. */
void interrupt(void);

bool is_on(int line);
int direction_shown(void);
/* Looks at the pins after every single change of one. */
void judge_pins(unsigned line, bool was);
/* Looks at what is driven, once a tick or a request is done: in the middle of a change of row lines
 * that are written one by one show this and that for a microsecond. */
void judge_drive(void);
/* What holds from tick to tick. */
void judge_tick(void);

#endif
