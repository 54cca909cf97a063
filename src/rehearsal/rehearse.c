/* Runs a plan against the simulated board: ticks the core, lets time pass, keeps the record. */
#include "run.h"
#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PS 1e-12

static void add_tally(wpin_tally *t, const wpin_part_reading *r) {
    if (r->seconds <= 0) {
        return;
    }
    t->amps_min = t->begun ? fmin(t->amps_min, r->amps_min) : r->amps_min;
    t->amps_max = t->begun ? fmax(t->amps_max, r->amps_max) : r->amps_max;
    t->volts += r->volts * r->seconds;
    t->amps += r->amps * r->seconds;
    t->seconds += r->seconds;
    t->begun = true;
}

/* Volts over whole PWM periods, and over one tick at least. */
static void average_volts(wpin_run *run, size_t load) {
    wpin_mean *m = &run->volts[load];
    m->sum += run->last[load].volts * run->last[load].seconds;
    m->seconds += run->last[load].seconds;
    if (m->seconds >= wpin_run_window(run, load) * (1 - 1e-9)) {
        *m = (wpin_mean){.value = m->sum / m->seconds};
    }
}

static void read_loads(wpin_run *run) {
    wpin_report *report = run->report;
    double total = 0;
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->last[i] = wpin_run_read(run->sim, run->rig, (int)i);
        const wpin_part_reading *r = &run->last[i];
        add_tally(&run->for_trace[i], r);
        average_volts(run, i);
        report->amps_peak[i] =
            fmax(report->amps_peak[i], fmax(fabs(r->amps_min), fabs(r->amps_max)));
        report->rpm_peak[i] = fmax(report->rpm_peak[i], fabs(r->rpm));
        wpin_run_tally_torque(run, i);
        report->degrees_c[i] = fmax(report->degrees_c[i], fmax(r->degrees, r->driver_degrees));
        total += fmax(fabs(r->amps_min), fabs(r->amps_max));
        report->joules[i] +=
            r->supply_amps * r->seconds * run->rig->supplies[run->rig->loads[i].supply].volts;
    }
    report->total_amps_peak = fmax(report->total_amps_peak, total);
}

static void let_pass(wpin_run *run, int64_t until) {
    wpin_sim_advance(run->sim, until - wpin_sim_time(run->sim));
    read_loads(run);
    wpin_run_tally_steps(run);
    wpin_run_watch_loads(run);
    wpin_run_watch_requirements(run);
}

/* The effort asked for; of a stepper, which has none, 0; NAN where regulators make it.
 */
static double asked_of(const wpin_motor *motor) {
    return motor->setpoint.quantity == WPIN_QUANTITY_EFFORT
               ? (double)motor->setpoint.value / WPIN_DUTY_FULL
           : motor->config->regulator_count > 0 ? NAN
                                                : 0;
}

static void write_row(wpin_run *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_tally *t = &run->for_trace[i];
        const wpin_motor *m = &run->motors[i];
        double seconds = t->seconds > 0 ? t->seconds : 1;
        run->samples[i] = (wpin_sample){.asked = asked_of(m),
                                        .duty = (double)wpin_motor_duty(m) / WPIN_DUTY_FULL,
                                        .volts = t->volts / seconds,
                                        .amps = t->amps / seconds,
                                        .amps_min = t->amps_min,
                                        .amps_max = t->amps_max,
                                        .rpm = run->last[i].rpm,
                                        .asked_rpm = wpin_run_asked_rpm(run, i),
                                        .measured_rpm = wpin_run_measured_rpm(run, i),
                                        .asked_amps = wpin_run_asked_amps(run, i),
                                        .measured_amps = wpin_run_signed_amps(run, i),
                                        .turns = run->last[i].turns,
                                        .effect = run->last[i].effect,
                                        .supply_volts = run->last[i].supply_volts,
                                        .phase = wpin_motor_state(m)};
        *t = (wpin_tally){0};
    }
    wpin_csv_row(run->options->csv, wpin_run_time(run), run->samples);
}

static bool inject(wpin_run *run, const wpin_injection *fault, bool on) {
    return wpin_sim_inject(run->sim, fault->fault, fault->number, fault->detail, on);
}

/* Switches of a plan: first the supplies, then the buttons' hands, then the faults. */
static wpin_status set_switch(void *context, uint16_t number, bool on) {
    wpin_run *run = context;
    size_t supplies = run->rig->supply_count, hands = supplies + run->rig->input_count;
    bool done = false;
    if (number < supplies) {
        done = wpin_sim_switch(run->sim, number, on);
    } else if (number < hands) {
        const wpin_rig_input *input = &run->rig->inputs[number - supplies];
        done = wpin_sim_press(run->sim, (wpin_pin)input->pin, on);
    } else if (number - hands < run->plan->fault_count) {
        done = inject(run, &run->plan->faults[number - hands], on);
    }
    return done ? WPIN_OK : WPIN_REFUSED_ARGUMENT;
}

static void inject_all(wpin_run *run) {
    for (size_t i = 0; i < run->rig->fault_count; i++) {
        inject(run, &run->rig->faults[i], true);
    }
    for (size_t i = 0; i < run->options->fault_count; i++) {
        inject(run, &run->options->faults[i], true);
    }
}

static bool allocate(wpin_run *run) {
    size_t loads = run->rig->load_count, tracks = run->plan->track_count;
    wpin_report *report = calloc(1, sizeof *report);
    run->report = report;
    run->bound = calloc(loads, sizeof *run->bound);
    run->motors = calloc(loads, sizeof *run->motors);
    run->inputs = calloc(run->rig->input_count + 1, sizeof *run->inputs);
    run->fault_at = calloc(loads, sizeof *run->fault_at);
    run->safe_at = calloc(loads, sizeof *run->safe_at);
    run->motor_list = calloc(loads, sizeof(wpin_motor *));
    run->tracks = calloc(tracks, sizeof *run->tracks);
    run->last = calloc(loads, sizeof *run->last);
    run->for_trace = calloc(loads, sizeof *run->for_trace);
    run->samples = calloc(loads, sizeof *run->samples);
    run->volts = calloc(loads, sizeof *run->volts);
    run->driven = calloc(loads, sizeof *run->driven);
    run->open_step = calloc(tracks, sizeof *run->open_step);
    run->owner = calloc(loads, sizeof *run->owner);
    run->windows = calloc(loads, sizeof *run->windows);
    run->dues = calloc(loads, sizeof *run->dues);
    run->rpm = calloc(loads, sizeof *run->rpm);
    run->effect = calloc(loads, sizeof *run->effect);
    run->stopping = calloc(loads, sizeof *run->stopping);
    run->stop_how = calloc(loads, sizeof *run->stop_how);
    run->lost = calloc(loads, sizeof *run->lost);
    run->rounds = calloc(run->plan->step_count, sizeof *run->rounds);
    bool required = report != NULL && wpin_run_open_requirements(run);
    if (report != NULL) {
        report->pwm = calloc(loads, sizeof *report->pwm);
        report->amps_peak = calloc(loads, sizeof *report->amps_peak);
        report->rpm_peak = calloc(loads, sizeof *report->rpm_peak);
        report->operations = calloc(loads, sizeof *report->operations);
        report->last_way = calloc(loads, sizeof *report->last_way);
        report->degrees_c = calloc(loads, sizeof *report->degrees_c);
        report->joules = calloc(loads, sizeof *report->joules);
        report->torque_peak = calloc(loads, sizeof *report->torque_peak);
        report->watts_peak = calloc(loads, sizeof *report->watts_peak);
    }
    return report != NULL && required && run->bound != NULL && run->motors != NULL &&
           run->motor_list != NULL && run->inputs != NULL && run->fault_at != NULL &&
           run->safe_at != NULL && report->last_way != NULL && report->degrees_c != NULL &&
           report->joules != NULL && run->tracks != NULL && run->last != NULL &&
           run->for_trace != NULL && run->samples != NULL && run->open_step != NULL &&
           run->driven != NULL && run->owner != NULL && run->windows != NULL && run->dues != NULL &&
           run->rpm != NULL && run->effect != NULL && run->lost != NULL && run->stop_how != NULL &&
           run->stopping != NULL && run->volts != NULL && run->rounds != NULL &&
           report->pwm != NULL && report->amps_peak != NULL && report->rpm_peak != NULL &&
           report->operations != NULL && report->torque_peak != NULL && report->watts_peak != NULL;
}

static void release(wpin_run *run) {
    wpin_sim_free(run->sim);
    free(run->bound);
    free(run->motors);
    free(run->motor_list);
    free(run->fault_at);
    free(run->safe_at);
    free(run->inputs);
    free(run->notes);
    free(run->tracks);
    free(run->last);
    free(run->for_trace);
    free(run->samples);
    free(run->open_step);
    free(run->driven);
    free(run->owner);
    free(run->windows);
    free(run->dues);
    free(run->rpm);
    free(run->effect);
    free(run->stop_how);
    free(run->stopping);
    free(run->volts);
    free(run->lost);
    free(run->rounds);
    free(run->watches);
}

/* Not rested yet; a motor that faulted does not come to it and is not waited for. */
static bool some_rest(const wpin_run *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_state phase = wpin_motor_state(&run->motors[i]);
        if (phase != WPIN_STATE_READY && phase != WPIN_STATE_FAULT) {
            return true;
        }
    }
    return false;
}

/* A motor just opened may be turning: the core lets it rest first. The plan begins after that. */
static void await_ready(wpin_run *run, int64_t tick) {
    while (some_rest(run)) {
        wpin_motors_tick(run->motor_list, (uint16_t)run->rig->load_count);
        wpin_run_update_inputs(run);
        wpin_sim_advance(run->sim, tick);
    }
}

/* The record begins here, on a whole control period after the plan was started: so its first tick
 * reads the clock as late in its period as every other. */
static void begin_record(wpin_run *run, int64_t tick) {
    wpin_sim_advance(run->sim, tick);
    read_loads(run);
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->for_trace[i] = (wpin_tally){0};
        run->report->amps_peak[i] = run->report->rpm_peak[i] = run->report->degrees_c[i] = 0;
        run->report->joules[i] = 0;
    }
    run->report->total_amps_peak = 0;
    run->start = wpin_sim_time(run->sim);
}

static wpin_status start(wpin_run *run) {
    run->sequence_config = (wpin_sequence_config){
        .steps = run->plan->steps,
        .step_count = (uint16_t)run->plan->step_count,
        .motors = run->motor_list,
        .motor_count = (uint16_t)run->rig->load_count,
        .switch_count =
            (uint16_t)(run->rig->supply_count + run->rig->input_count + run->plan->fault_count),
        .input_count = (uint16_t)run->rig->input_count,
        .read_input = wpin_run_input_held,
        .read_duty = wpin_run_input_duty,
        .rearm_input = wpin_run_rearm_input,
        .set_input = wpin_run_set_input,
        .track_count = run->plan->track_count,
        .tracks = run->tracks,
        .port = &run->port,
        .context = run,
        .set_switch = set_switch,
        .observe = wpin_run_step,
        .stopped = wpin_run_stopped};
    return wpin_sequence_start(&run->sequence, &run->sequence_config);
}

static bool open_vcd(wpin_run *run) {
    if (run->options->vcd_path == NULL) {
        return true;
    }
    run->vcd = wpin_vcd_open(run->options->vcd_path, run->rig, wpin_sim_time(run->sim));
    if (run->vcd != NULL) {
        wpin_sim_watch_pins(run->sim, wpin_vcd_pin, run->vcd);
    }
    return run->vcd != NULL;
}

/* What a fast timer does on a controller: steps, and PWM in software. */
static void tick_fast(wpin_run *run) {
    if (run->soft_used) {
        wpin_soft_pwm_tick(&run->soft);
    }
    for (size_t i = 0; i < run->rig->load_count; i++) {
        if (wpin_run_is_stepper(run, i)) {
            wpin_stepper_tick(&run->bound[i].stepper_at_work);
        }
    }
}

static int64_t first_of(int64_t a, int64_t b) {
    return a < b ? a : b;
}

static void note_driven(const wpin_run *run) {
    for (size_t i = 0; run->options->driven_until != NULL && i < run->rig->load_count; i++) {
        if (wpin_motor_duty(&run->motors[i]) != 0) {
            run->options->driven_until[i] = wpin_run_time(run);
        }
    }
}

/* What the load is doing that does the most. */
static wpin_state busiest(const wpin_run *run) {
    static const uint8_t ranks[] = {
        [WPIN_STATE_OFF] = 0,      [WPIN_STATE_FAULT] = 0,   [WPIN_STATE_READY] = 1,
        [WPIN_STATE_COASTING] = 2, [WPIN_STATE_BRAKING] = 3, [WPIN_STATE_RESTING] = 4,
        [WPIN_STATE_RUNNING] = 5,  [WPIN_STATE_RAMPING] = 6};
    wpin_state most = WPIN_STATE_OFF;
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_state state = wpin_motor_state(&run->motors[i]);
        most = ranks[state] > ranks[most] ? state : most;
    }
    return most;
}

static void run_plan(wpin_run *run, int64_t tick) {
    const wpin_rehearsal_options *o = run->options;
    double sample_seconds = o->sample_seconds > 0 ? o->sample_seconds : 1e-3;
    int64_t sample = llround(sample_seconds / PS), next_tick = run->start;
    int64_t next_row = o->csv != NULL ? run->start : INT64_MAX;
    int64_t fast = llround(run->rig->controller.soft_tick / PS);
    int64_t next_fast = run->fast_used ? run->start : INT64_MAX;
    int64_t next_late = o->late != NULL ? run->start + llround(o->late_at / PS) : INT64_MAX;
    unsigned long ticks = 0;
    bool was_running = true;
    while (wpin_run_stopping(run) || was_running || wpin_sequence_busy(&run->sequence)) {
        int64_t now = wpin_sim_time(run->sim);
        if (now >= next_fast) {
            tick_fast(run);
            next_fast += fast;
        }
        if (o->late != NULL && now >= next_late) {
            run->report->late_state = busiest(run);
            inject(run, o->late, true);
            next_late = INT64_MAX;
        }
        if (now >= next_tick) {
            wpin_run_command(run);
            note_driven(run);
            was_running = run->sequence.running;
            if (!was_running) {
                wpin_run_cut_steps(run); /* a fault or a refused step: no waiting for the stop */
            }
            next_tick += tick;
            if (o->progress != NULL && ++ticks % 256 == 0) {
                o->progress(o->context, wpin_run_time(run), run->plan->seconds);
            }
        }
        if (now >= next_row) {
            write_row(run);
            next_row += sample;
        }
        let_pass(run, first_of(next_late, first_of(next_fast, first_of(next_tick, next_row))));
    }
    if (o->csv != NULL) {
        write_row(run);
    }
}

/* Leaves every stage in its safe state. */
static void close_motors(wpin_run *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_motor_close(&run->motors[i]);
    }
}

static wpin_status carry_out(wpin_run *run, char *why, size_t size) {
    int64_t tick = llround(run->rig->controller.tick / PS);
    for (size_t i = 0; run->options->supplies_on && i < run->rig->supply_count; i++) {
        wpin_sim_switch(run->sim, (int)i, true);
    }
    inject_all(run);
    wpin_run_boot(run);
    wpin_run_choose_port(run);
    wpin_status status = wpin_run_open_loads(run, why, size);
    if (status != WPIN_OK) {
        return status;
    }
    wpin_run_open_inputs(run);
    wpin_run_open_stop(run);
    await_ready(run, tick);
    status = start(run);
    if (status != WPIN_OK) {
        snprintf(why, size, "the plan: %s", wpin_status_text(status));
        return status;
    }
    begin_record(run, tick);
    if (!open_vcd(run)) {
        snprintf(why, size, "%s: can't be written: %s", run->options->vcd_path, strerror(errno));
        return WPIN_REFUSED_ARGUMENT;
    }
    run_plan(run, tick);
    wpin_run_cut_steps(run);
    close_motors(run);
    wpin_run_collect(run);
    if (run->out_of_memory) {
        snprintf(why, size, "out of memory");
        return WPIN_REFUSED_FULL;
    }
    return WPIN_OK;
}

static int close_vcd(wpin_run *run) {
    if (run->vcd == NULL) {
        return 0;
    }
    wpin_sim_watch_pins(run->sim, NULL, NULL);
    return wpin_vcd_close(run->vcd);
}

void wpin_report_free(wpin_report *report) {
    if (report != NULL) {
        free(report->steps);
        free(report->requirements);
        free(report->faults);
        free(report->burns);
        free(report->events);
        free(report->pwm);
        free(report->amps_peak);
        free(report->rpm_peak);
        free(report->operations);
        free(report->last_way);
        free(report->degrees_c);
        free(report->joules);
        free(report->torque_peak);
        free(report->watts_peak);
        free(report);
    }
}

wpin_report *wpin_rehearse(const wpin_rig *rig, const wpin_plan *plan,
                           const wpin_rehearsal_options *options, wpin_status *refused, char *why,
                           size_t why_size) {
    wpin_run run = {.rig = rig, .plan = plan, .options = options};
    wpin_status status = WPIN_REFUSED_FULL;
    snprintf(why, why_size, "out of memory");
    run.sim = wpin_board_build(rig);
    if (run.sim != NULL && allocate(&run)) {
        run.port = wpin_sim_port(run.sim);
        status = carry_out(&run, why, why_size);
    }
    int vcd_error = close_vcd(&run);
    wpin_report *report = run.report;
    release(&run);
    *refused = status;
    if (status != WPIN_OK) {
        wpin_report_free(report);
        return NULL;
    }
    report->trace_error = vcd_error;
    return report;
}
