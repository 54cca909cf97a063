/* Runs a plan against the simulated board: ticks the core, lets time pass, keeps the record. */
#include "run.h"
#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PS 1e-12

double wpin_run_time(const wpin_run *run) {
    return (double)(wpin_sim_time(run->sim) - run->start) * PS;
}

static void add_tally(wpin_tally *t, const wpin_sim_reading *r) {
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

static void read_loads(wpin_run *run) {
    wpin_report *report = run->report;
    double total = 0;
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->last[i] = wpin_sim_read(run->sim, (int)i);
        const wpin_sim_reading *r = &run->last[i];
        add_tally(&run->for_trace[i], r);
        report->amps_peak[i] =
            fmax(report->amps_peak[i], fmax(fabs(r->amps_min), fabs(r->amps_max)));
        report->rpm_peak[i] = fmax(report->rpm_peak[i], fabs(r->rpm));
        total += fmax(fabs(r->amps_min), fabs(r->amps_max));
    }
    report->total_amps_peak = fmax(report->total_amps_peak, total);
}

static void let_pass(wpin_run *run, int64_t until) {
    wpin_sim_advance(run->sim, until - wpin_sim_time(run->sim));
    read_loads(run);
    wpin_run_tally_steps(run);
}

static void write_row(wpin_run *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_tally *t = &run->for_trace[i];
        const wpin_motor *m = &run->motors[i];
        double seconds = t->seconds > 0 ? t->seconds : 1;
        run->samples[i] = (wpin_sample){.asked = (double)m->wanted / WPIN_DUTY_FULL,
                                        .duty = (double)wpin_motor_duty(m) / WPIN_DUTY_FULL,
                                        .volts = t->volts / seconds,
                                        .amps = t->amps / seconds,
                                        .amps_min = t->amps_min,
                                        .amps_max = t->amps_max,
                                        .rpm = run->last[i].rpm,
                                        .supply_volts = run->last[i].supply_volts,
                                        .phase = wpin_motor_phase(m)};
        *t = (wpin_tally){0};
    }
    wpin_csv_row(run->options->csv, wpin_run_time(run), run->samples);
}

static bool inject(wpin_run *run, const wpin_injection *fault, bool on) {
    return wpin_sim_inject(run->sim, fault->fault, fault->number, fault->detail, on);
}

/* Switches of a plan: first the supplies, then the buttons' hands, then the faults. */
static wpin_status set_switch(void *context, uint8_t number, bool on) {
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

static bool read_input(void *context, uint8_t number) {
    return ((wpin_run *)context)->buttons[number].held;
}

static void open_buttons(wpin_run *run) {
    for (size_t i = 0; i < run->rig->input_count; i++) {
        wpin_button_config config = {.debounce_us =
                                         (uint32_t)llround(run->rig->inputs[i].debounce * 1e6),
                                     .active_low = true};
        wpin_button_init(&run->buttons[i], &config);
    }
}

static void update_buttons(wpin_run *run) {
    for (size_t i = 0; i < run->rig->input_count; i++) {
        bool level = run->port.read(run->sim, (wpin_pin)run->rig->inputs[i].pin);
        wpin_button_update(&run->buttons[i], level, run->port.now(run->sim));
    }
}

static bool allocate(wpin_run *run) {
    size_t loads = run->rig->load_count, tracks = run->plan->track_count;
    wpin_report *report = calloc(1, sizeof *report);
    run->report = report;
    run->bound = calloc(loads, sizeof *run->bound);
    run->motors = calloc(loads, sizeof *run->motors);
    run->buttons = calloc(run->rig->input_count + 1, sizeof *run->buttons);
    run->motor_list = calloc(loads, sizeof(wpin_motor *));
    run->tracks = calloc(tracks, sizeof *run->tracks);
    run->last = calloc(loads, sizeof *run->last);
    run->for_trace = calloc(loads, sizeof *run->for_trace);
    run->samples = calloc(loads, sizeof *run->samples);
    run->open_step = calloc(tracks, sizeof *run->open_step);
    run->rounds = calloc(run->plan->step_count, sizeof *run->rounds);
    if (report != NULL) {
        report->pwm = calloc(loads, sizeof *report->pwm);
        report->amps_peak = calloc(loads, sizeof *report->amps_peak);
        report->rpm_peak = calloc(loads, sizeof *report->rpm_peak);
        report->operations = calloc(loads, sizeof *report->operations);
    }
    return report != NULL && run->bound != NULL && run->motors != NULL && run->motor_list != NULL &&
           run->buttons != NULL && run->tracks != NULL && run->last != NULL &&
           run->for_trace != NULL && run->samples != NULL && run->open_step != NULL &&
           run->rounds != NULL && report->pwm != NULL && report->amps_peak != NULL &&
           report->rpm_peak != NULL && report->operations != NULL;
}

static void release(wpin_run *run) {
    wpin_sim_free(run->sim);
    free(run->bound);
    free(run->motors);
    free(run->motor_list);
    free(run->buttons);
    free(run->tracks);
    free(run->last);
    free(run->for_trace);
    free(run->samples);
    free(run->open_step);
    free(run->rounds);
}

/* Opens and arms every motor. */
static wpin_status open_motors(wpin_run *run, char *why, size_t size) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        const wpin_rig_load *load = &run->rig->loads[i];
        wpin_bind_load(&run->bound[i], load);
        run->motor_list[i] = &run->motors[i];
        wpin_status status = wpin_motor_init(&run->motors[i], &run->bound[i].motor, &run->port);
        if (status == WPIN_OK) {
            status = wpin_motor_arm(&run->motors[i]);
        }
        if (status != WPIN_OK) {
            snprintf(why, size, "load '%s' (line %u): %s %s", load->name, load->line,
                     wpin_status_text(status), wpin_status_remedy(status));
            return status;
        }
        run->report->pwm[i] = run->motors[i].stage.pwm;
    }
    return WPIN_OK;
}

/* Not rested yet; a motor that faulted does not come to it and is not waited for. */
static bool some_rest(const wpin_run *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_phase phase = wpin_motor_phase(&run->motors[i]);
        if (phase != WPIN_PHASE_READY && phase != WPIN_PHASE_FAULT) {
            return true;
        }
    }
    return false;
}

/* A motor just opened may be turning: the core lets it rest first. The plan begins after that. */
static void await_ready(wpin_run *run, int64_t tick) {
    while (some_rest(run)) {
        for (size_t i = 0; i < run->rig->load_count; i++) {
            wpin_motor_tick(&run->motors[i]);
        }
        update_buttons(run);
        wpin_sim_advance(run->sim, tick);
    }
    read_loads(run);
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->for_trace[i] = (wpin_tally){0};
        run->report->amps_peak[i] = run->report->rpm_peak[i] = 0;
    }
    run->report->total_amps_peak = 0;
    run->start = wpin_sim_time(run->sim);
}

static wpin_status start(wpin_run *run) {
    run->sequence_config = (wpin_sequence_config){
        .steps = run->plan->steps,
        .step_count = (uint16_t)run->plan->step_count,
        .motors = run->motor_list,
        .motor_count = (uint8_t)run->rig->load_count,
        .switch_count =
            (uint8_t)(run->rig->supply_count + run->rig->input_count + run->plan->fault_count),
        .input_count = (uint8_t)run->rig->input_count,
        .read_input = read_input,
        .track_count = run->plan->track_count,
        .tracks = run->tracks,
        .port = &run->port,
        .context = run,
        .set_switch = set_switch,
        .observe = wpin_run_step};
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

static bool records_failed(const wpin_run *run) {
    return (run->options->csv != NULL && wpin_csv_error(run->options->csv) != 0) ||
           (run->vcd != NULL && wpin_vcd_error(run->vcd) != 0);
}

/* Ends the plan before its time when asked to, or when the record can not be kept. */
static void watch_outside(wpin_run *run) {
    bool asked = run->options->interrupted != NULL && *run->options->interrupted != 0;
    if (!run->sequence.running || !(asked || records_failed(run) || run->out_of_memory)) {
        return;
    }
    run->report->interrupted = asked;
    wpin_run_cut_steps(run);
    wpin_sequence_stop(&run->sequence);
}

static void run_plan(wpin_run *run, int64_t tick) {
    const wpin_rehearsal_options *o = run->options;
    double sample_seconds = o->sample_seconds > 0 ? o->sample_seconds : 1e-3;
    int64_t sample = llround(sample_seconds / PS), next_tick = run->start;
    int64_t next_row = o->csv != NULL ? run->start : INT64_MAX;
    unsigned long ticks = 0;
    bool was_running = true;
    while (was_running || wpin_sequence_busy(&run->sequence)) {
        int64_t now = wpin_sim_time(run->sim);
        if (now >= next_tick) {
            update_buttons(run);
            wpin_sequence_tick(&run->sequence);
            watch_outside(run);
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
        let_pass(run, next_tick < next_row ? next_tick : next_row);
    }
    if (o->csv != NULL) {
        write_row(run);
    }
}

/* Leaves every stage in its safe state. */
static void close_motors(wpin_run *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_motor_disarm(&run->motors[i]);
    }
}

static void collect(wpin_run *run) {
    wpin_report *report = run->report;
    size_t count;
    const wpin_sim_burn *burns = wpin_sim_burns(run->sim, &count);
    report->burns = calloc(count + 1, sizeof *report->burns);
    report->faults = calloc(run->rig->load_count + 1, sizeof *report->faults);
    double began = (double)run->start * PS;
    for (size_t i = 0; report->burns != NULL && i < count; i++) {
        report->burns[i] = burns[i];
        report->burns[i].at -= began;
        report->burn_count = i + 1;
    }
    size_t events;
    const wpin_sim_event *all = wpin_sim_events(run->sim, &events);
    report->events = calloc(events + 1, sizeof *report->events);
    for (size_t i = 0; report->events != NULL && i < events; i++) {
        report->events[i] = all[i];
        report->events[i].at -= began;
        report->event_count = i + 1;
    }
    wpin_moment zero = run->port.now(run->sim) - (wpin_moment)llround(wpin_run_time(run) * 1e6);
    for (size_t i = 0; report->faults != NULL && i < run->rig->load_count; i++) {
        const wpin_fault *fault = &run->motors[i].fault;
        if (fault->cause != WPIN_OK) {
            report->faults[report->fault_count++] =
                (wpin_fault_result){(int)i, fault->cause, (wpin_moment)(fault->at - zero) * 1e-6};
        }
    }
    for (size_t i = 0; i < run->rig->load_count; i++) {
        report->operations[i] = run->motors[i].operations;
    }
    report->seconds = wpin_run_time(run);
    report->result = run->sequence.result;
    report->bad = count != 0 || report->fault_count != 0 || report->result != WPIN_OK;
    for (size_t i = 0; i < report->step_count; i++) {
        report->bad = report->bad || report->steps[i].verdict == WPIN_VERDICT_BAD;
    }
}

static wpin_status carry_out(wpin_run *run, char *why, size_t size) {
    int64_t tick = llround(run->rig->controller.tick / PS);
    for (size_t i = 0; run->options->supplies_on && i < run->rig->supply_count; i++) {
        wpin_sim_switch(run->sim, (int)i, true);
    }
    wpin_status status = open_motors(run, why, size);
    if (status != WPIN_OK) {
        return status;
    }
    inject_all(run);
    open_buttons(run);
    await_ready(run, tick);
    if (!open_vcd(run)) {
        snprintf(why, size, "%s: can't be written: %s", run->options->vcd_path, strerror(errno));
        return WPIN_REFUSED_ARGUMENT;
    }
    status = start(run);
    if (status != WPIN_OK) {
        snprintf(why, size, "the plan: %s", wpin_status_text(status));
        return status;
    }
    run_plan(run, tick);
    wpin_run_cut_steps(run);
    close_motors(run);
    collect(run);
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
        free(report->faults);
        free(report->burns);
        free(report->events);
        free(report->pwm);
        free(report->amps_peak);
        free(report->rpm_peak);
        free(report->operations);
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
