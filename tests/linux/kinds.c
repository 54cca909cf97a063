/* Every kind of stage on real pins, by the chips' own log. */
#define _GNU_SOURCE
#include "pins.h"
#include "shelf.h"
#include <stdlib.h>
#include <windpin/host/bind_linux.h>
#include <windpin/host/plan.h>
#include <windpin/host/session.h>

/* The rig of one load of a kind on lines of the same number, what is timed on channels; how many of
 * those. Sensors of its own, and complementary PWM, need a controller. */
static unsigned write_kind(const wpin_stage_kind *kind) {
    unsigned channels = 0;
    FILE *to = fopen(RIG, "w");
    ck_assert_ptr_nonnull(to);
    print_rig_of_kinds(to);
    (void)print_load_of_kind(to, kind, "it", 0);
    fputs("linux:\n  chip: windpin-bench\n  pins: {31: 31", to);
    for (unsigned n = 0; n < kind->table->line_count; n++) {
        if (wpin_stage_kind_times_line(kind, n)) {
            fprintf(to, ", %u: {pwm: pwmchip0/%u}", n, channels++);
        }
    }
    fputs("}\n", to);
    ck_assert_int_eq(fclose(to), 0);
    return channels;
}

static void write_plan_of(const wpin_stage_kind *kind) {
    FILE *to = fopen("/mnt/it.plan", "w");
    ck_assert_ptr_nonnull(to);
    bool reverses = false;
    for (uint8_t row = 0; row < kind->table->row_count; row++) {
        reverses = reverses || kind->table->rows[row].drive == WPIN_DRIVE_REVERSE;
    }
    if (kind->coils) {
        fputs("it turn 90deg\nit turn reverse 45deg\n", to);
    } else if (wpin_stage_kind_takes_duty(kind)) {
        fprintf(to, "it ramp 60%% in 700ms\nit hold 50ms\n%sit stop\n",
                reverses ? "it ramp reverse 50% in 600ms\nit hold 50ms\n" : "");
    } else {
        fprintf(to, "it on\nit hold 300ms\n%sit off\n",
                reverses ? "it on reverse\nit hold 300ms\n" : "");
    }
    ck_assert_int_eq(fclose(to), 0);
}

/* What each line of the stage shows: 0 or 1, 2 floating, 3 PWM. */
typedef struct shown {
    int lines[WPIN_STAGE_LINES];
} shown;

static bool row_is(const wpin_bound_load *bound, uint8_t row, const shown *s) {
    const wpin_stage_table *t = bound->stage.table;
    for (uint8_t n = 0; n < t->line_count; n++) {
        wpin_cell cell = wpin_table_cell(t, row, n);
        int is = s->lines[n];
        is = bound->lines[n].inverted && is < 2 ? 1 - is : is;
        bool so = cell == WPIN_CELL_LOW     ? is == 0
                  : cell == WPIN_CELL_HIGH  ? is == 1
                  : cell == WPIN_CELL_FLOAT ? is == 2
                                            : true;
        if (!so) {
            return false;
        }
    }
    return true;
}

/* Rows that show so, as bits of their drive. */
static unsigned rows_of(const wpin_bound_load *bound, const shown *s) {
    unsigned drives = 0;
    for (uint8_t row = 0; row < bound->stage.table->row_count; row++) {
        unsigned drive = bound->stage.table->rows[row].drive;
        drives |= row_is(bound, row, s) ? 1U << (drive < 4 ? drive : 4) : 0;
    }
    return drives;
}

static void check_legs(const wpin_bound_load *bound, const shown *s, const char *name) {
    const wpin_stage_table *t = bound->stage.table;
    for (uint8_t n = 0; n < t->leg_count; n++) {
        int high = s->lines[t->legs[n].high_side], low = s->lines[t->legs[n].low_side];
        high = bound->lines[t->legs[n].high_side].inverted && high < 2 ? 1 - high : high;
        low = bound->lines[t->legs[n].low_side].inverted && low < 2 ? 1 - low : low;
        if (high != 0 && high != 2 && low != 0 && low != 2) {
            ck_abort_msg("%s: both sides of leg %u are on", name, n);
        }
    }
}

/* By the chips' own log: each line begins with a level, no leg is ever on twice, and whenever
 * nothing changes for half a millisecond what is shown is a row of the table. The rows there were.
 */
static unsigned judge_kind(const wpin_bound_load *bound, const wpin_stage_kind *kind) {
    size_t count = kernel_log(entries, COUNT(entries));
    int line_of_channel[4] = {-1, -1, -1, -1}, channels = 0;
    shown s = {{0}};
    bool begun[WPIN_STAGE_LINES] = {false};
    unsigned drives = 0;
    for (unsigned n = 0; n < kind->table->line_count; n++) {
        if (wpin_stage_kind_times_line(kind, n)) {
            line_of_channel[channels++] = (int)n;
            begun[n] = true; /* at 0 % since it was taken */
        }
    }
    for (size_t i = 0; i < count; i++) {
        const kernel_entry *e = &entries[i];
        int n = e->kind == KERNEL_PWM ? line_of_channel[e->number] : (int)e->number;
        if (n < 0 || n >= kind->table->line_count) {
            continue;
        }
        bool full = e->kind == KERNEL_PWM && e->level && e->duty >= 1;
        int now = e->kind == KERNEL_OUT  ? e->level
                  : e->kind == KERNEL_IN ? 2
                  : !e->level            ? 0
                                         : (e->duty == 0 ? 0
                                            : full       ? 1
                                                         : 3);
        if (e->kind == KERNEL_PWM && e->inverted && now < 2) {
            now = 1 - now; /* what the pin shows */
        }
        if (!begun[n] && e->kind != KERNEL_OUT) {
            ck_abort_msg("%s: '%s' begins without a level", kind->name, kind->lines[n]);
        }
        begun[n] = true;
        s.lines[n] = now;
        check_legs(bound, &s, kind->name);
        bool all = true;
        for (unsigned k = 0; k < kind->table->line_count; k++) {
            all = all && begun[k];
        }
        if (all && i + 1 < count && entries[i + 1].seconds - e->seconds > 0.5e-3) {
            unsigned is = rows_of(bound, &s);
            if (is == 0) {
                ck_abort_msg("%s: at %.4f s no row shows what its lines do", kind->name,
                             e->seconds);
            }
            drives |= is;
        }
    }
    return drives;
}

static void run_kind(const wpin_stage_kind *kind) {
    char why[400] = "";
    wpin_messages m = {0};
    wpin_status refused;
    wpin_bound_linux *pins = calloc(1, sizeof *pins);
    wpin_bound_load *bound = calloc(1, sizeof *bound);
    wpin_rig *rig = wpin_rig_read(RIG, &m);
    ck_assert_msg(rig != NULL, "%s: %s", kind->name, m.count > 0 ? m.items[0].text : "?");
    wpin_plan *plan = wpin_plan_read("/mnt/it.plan", rig, &m);
    ck_assert_msg(plan != NULL, "%s: %s", kind->name, m.count > 0 ? m.items[0].text : "?");
    ck_assert_msg(wpin_bind_linux(pins, rig, why, sizeof why), "%s: %s", kind->name, why);
    kernel_forget();
    wpin_linux *l = wpin_linux_open(&pins->config, why, sizeof why);
    ck_assert_msg(l != NULL, "%s: %s", kind->name, why);
    wpin_bench bench = wpin_linux_bench(l);
    wpin_session *session = wpin_session_open(rig, plan, &bench, NULL, &refused, why, sizeof why);
    ck_assert_msg(session != NULL, "%s: %s %s", kind->name, why, wpin_linux_why(l));
    while (wpin_session_step(session)) {
    }
    wpin_report *report = wpin_session_close(session, why, sizeof why);
    ck_assert_msg(report != NULL && report->result == WPIN_OK, "%s: %s", kind->name, why);
    wpin_linux_close(l);
    wpin_bind_load(bound, rig, &rig->loads[0]);
    unsigned drives = judge_kind(bound, kind), wanted = 0;
    for (uint8_t row = 0; row < kind->table->row_count; row++) {
        unsigned drive = kind->table->rows[row].drive;
        wanted |= drive == WPIN_DRIVE_BRAKE ? 0 : 1U << (drive < 4 ? drive : 4);
    }
    ck_assert_msg((drives & wanted) == wanted, "%s: rows %x of %x", kind->name, drives, wanted);
    wpin_report_free(report);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    free(bound);
    free(pins);
}

START_TEST(every_kind_of_stage_is_driven) {
    size_t count;
    unsigned driven = 0;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    for (size_t i = 0; i < count; i++) {
        wpin_messages m = {0};
        bool fits = write_kind(&kinds[i]) <= 4 && !wpin_stage_kind_is_three_phase(&kinds[i]);
        wpin_rig *rig = wpin_rig_read(RIG, &m);
        ck_assert_msg(rig != NULL, "%s: %s", kinds[i].name, m.count > 0 ? m.items[0].text : "?");
        wpin_bound_linux *pins = calloc(1, sizeof *pins);
        char why[400];
        fits = fits && wpin_bind_linux(pins, rig, why, sizeof why);
        free(pins);
        wpin_rig_free(rig);
        if (fits) {
            write_plan_of(&kinds[i]);
            run_kind(&kinds[i]);
            driven++;
        }
    }
    ck_assert_msg(driven >= 20, "%u of %zu kinds", driven, count);
}
END_TEST

void add_kinds_tests(TCase *tests) {
    tcase_add_test(tests, every_kind_of_stage_is_driven);
}
