/* Its port: calls that take time and may fail, sensors that lie, interrupts at every unlock. */
#include "world.h"

/* The rotor goes on, and its sensors raise an interrupt of their own, above all others. */
static void turn(void) {
    if (w.oriented && w.nested == 0 && pick(8) == 0) {
        w.nested++;
        wpin_vector_period(&w.vector);
        w.nested--;
    }
    if (wpin_stage_kind_is_three_phase(w.kind) && w.nested == 0 && pick(40) == 0) {
        w.nested++;
        w.sector = (w.sector + (pick(4) == 0 ? 5U : 1U)) % 6;
        wpin_six_step_edge(w.oriented ? &w.vector.rotor : &w.six_step);
        w.nested--;
    }
}

static void visit(void) {
    w.now += 1;
    if (w.locked == 0) {
        turn();
    }
    if (w.locked == 0 && !w.inside && pick(400) == 0) {
        w.inside = true;
        w.interrupts++;
        interrupt();
        w.inside = false;
    }
}

/* Under one lock a line is written, or a group of them with the PWM that moves; the three legs of a
 * vector belong together. */
static void count_write(void) {
    w.written++;
    JUDGE(w.locked == 0 || w.oriented || w.written <= 2, "%u writes with interrupts held out",
          w.written);
}

static bool fails(void) {
    bool now = !w.honest && pick(20000) == 0;
    w.failures += now;
    w.failed_at = now ? w.now : w.failed_at;
    return now;
}

static wpin_moment port_now(void *context) {
    (void)context;
    visit();
    return w.stands > 0 ? w.standing : (wpin_moment)((int64_t)w.now + w.ahead);
}

static void set(wpin_pin pin, int level, uint16_t duty) {
    bool was = is_on(pin);
    w.level[pin] = level;
    w.duty[pin] = duty;
    judge_pins(pin, was);
}

static wpin_status port_open(void *context, wpin_pin pin, wpin_level safe) {
    (void)context;
    if (fails()) {
        return WPIN_REFUSED_PORT;
    }
    JUDGE(!w.output[pin] || !w.may_drive, "opened anew while driven");
    w.output[pin] = true;
    set(pin, (int)safe, 0);
    return WPIN_OK;
}

static wpin_status port_write(void *context, wpin_pin pin, wpin_level level) {
    (void)context;
    visit();
    if (fails()) {
        return WPIN_REFUSED_PORT;
    }
    JUDGE(w.output[pin], "written before it is an output");
    count_write();
    set(pin, (int)level, 0);
    return WPIN_OK;
}

static wpin_status port_group_open(void *context, const wpin_pin *pins, uint8_t count,
                                   uint8_t *group) {
    (void)context, (void)pins, (void)count;
    *group = 0;
    return WPIN_OK;
}

static wpin_status port_group_write(void *context, uint8_t group, uint8_t mask, uint8_t high) {
    (void)context;
    JUDGE(group == 0, "a group that was never opened");
    count_write();
    for (unsigned l = 0; mask >> l != 0; l++) { /* what turns off comes first: it is one instant */
        if ((mask >> l & 1) != 0 && (high >> l & 1) == 0) {
            set((wpin_pin)l, 0, 0);
        }
    }
    for (unsigned l = 0; mask >> l != 0; l++) {
        if ((mask >> l & 1) != 0 && (high >> l & 1) != 0) {
            set((wpin_pin)l, 1, 0);
        }
    }
    return WPIN_OK;
}

static wpin_status port_pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                                  wpin_pwm_achieved *achieved) {
    (void)context;
    w.complement[pin] = request->inverted;
    *achieved = (wpin_pwm_achieved){.millihertz = request->hz * 1000, .steps = 800};
    return WPIN_OK;
}

static wpin_status port_pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    (void)context;
    visit();
    if (fails()) {
        return WPIN_REFUSED_PORT;
    }
    JUDGE(duty <= WPIN_DUTY_FULL, "a duty of %u", duty);
    count_write();
    w.shown = duty;
    set(pin, -1, duty);
    return WPIN_OK;
}

static wpin_status port_leg_start(void *context, wpin_pin high, wpin_pin low,
                                  const wpin_pwm_request *request, wpin_pwm_achieved *achieved) {
    (void)context, (void)high;
    w.complement[low] = true;
    *achieved = (wpin_pwm_achieved){
        .millihertz = request->hz * 1000, .steps = 800, .dead_time_ns = request->dead_time_ns};
    return WPIN_OK;
}

static wpin_status port_leg_duty(void *context, wpin_pin high, wpin_pin low, uint16_t duty) {
    (void)context;
    visit();
    count_write();
    w.shown = duty;
    bool both = w.level[high] == -1;
    JUDGE(both || w.now - w.off_at[high] >= DEAD_US, "the high side began too early");
    JUDGE(both || w.now - w.off_at[low] >= DEAD_US, "the low side began too early");
    w.level[high] = w.level[low] = -1;
    w.duty[high] = w.duty[low] = duty;
    judge_pins(high, true);
    return WPIN_OK;
}

static int16_t port_millivolts(void *context, uint8_t input) {
    (void)context, (void)input;
    visit();
    bool lies = !w.honest && pick(5000) == 0;
    return lies ? (pick(2) ? WPIN_NO_READING : (int16_t)(pick(65536) - 32768)) : 500;
}

static bool port_read(void *context, wpin_pin pin) {
    static const uint8_t codes[6] = {5, 1, 3, 2, 6, 4};
    (void)context;
    visit(); /* the next sensor is another one's by now */
    if (pin >= HALL) {
        bool lies = !w.honest && pick(3000) == 0;
        w.lied = lies ? 3 : w.lied;
        return (codes[w.sector] >> (pin - HALL) & 1) != (lies ? 1 : 0);
    }
    return w.honest || pick(3000) != 0; /* a limit switch that answers now and then */
}

static void port_pause(void *context, uint32_t us) {
    (void)context;
    JUDGE(w.locked == 0, "interrupts are held out for %u us", us);
    visit();
    w.now += us;
}

static uint8_t port_lock(void *context) {
    (void)context;
    w.written = w.locked == 0 ? 0 : w.written;
    w.locked++;
    return 7;
}

static void port_unlock(void *context, uint8_t state) {
    (void)context;
    JUDGE(state == 7 && w.locked > 0, "unlocked without a lock");
    w.locked--;
    visit(); /* what was held out comes now */
}

void connect_port(bool grouped) {
    w.port = (wpin_port){.now = port_now,
                         .open = port_open,
                         .write = port_write,
                         .pwm_start = port_pwm_start,
                         .pwm_duty = port_pwm_duty,
                         .leg_start = port_leg_start,
                         .leg_duty = port_leg_duty,
                         .group_open = grouped ? port_group_open : NULL,
                         .group_write = grouped ? port_group_write : NULL,
                         .read = port_read,
                         .millivolts = port_millivolts,
                         .pause = port_pause,
                         .lock = port_lock,
                         .unlock = port_unlock};
}
