/* A three-phase stage from sector to sector. */
#include "support_stage.h"

/* Three half-bridges in six sectors; the low sides switch plainly. */
static const wpin_row sector_rows[] = {WPIN_ROW(WPIN_DRIVE_COAST, L, L, L, L, L, L),
                                       WPIN_ROW(WPIN_DRIVE_SECTOR + 0, D, L, L, H, L, L),
                                       WPIN_ROW(WPIN_DRIVE_SECTOR + 1, D, L, L, L, L, H),
                                       WPIN_ROW(WPIN_DRIVE_SECTOR + 2, L, L, D, L, L, H),
                                       WPIN_ROW(WPIN_DRIVE_SECTOR + 3, L, H, D, L, L, L),
                                       WPIN_ROW(WPIN_DRIVE_SECTOR + 4, L, H, L, L, D, L),
                                       WPIN_ROW(WPIN_DRIVE_SECTOR + 5, L, L, L, H, D, L)};
static const wpin_leg sector_legs[] = {{0, 1}, {2, 3}, {4, 5}};
static const wpin_stage_table sectors = {
    .line_count = 6, .row_count = 7, .rows = sector_rows, .legs = sector_legs, .leg_count = 3};
static const wpin_line sector_lines[] = {{.pin = 0}, {.pin = 1}, {.pin = 2},
                                         {.pin = 3}, {.pin = 4}, {.pin = 5}};
static const wpin_stage_config sector_config = {
    .table = &sectors, .lines = sector_lines, .pwm_hz = 20000, .dead_time_us = 2};

/* An interrupt in the middle of a pause: the next edge of a Hall sensor, or a trip. */
static struct edge {
    recorder *r;
    wpin_stage *stage;
    int sector; /* below 0: off */
    bool comes;
} edge;

static void pause_with_edge(void *context, uint32_t us) {
    edge.r->now += us;
    ck_assert_ptr_eq(context, edge.r);
    if (edge.comes) {
        edge.comes = false;
        if (edge.sector < 0) {
            wpin_stage_off(edge.stage);
        } else {
            ck_assert_int_eq(wpin_stage_commutate(edge.stage, (uint8_t)edge.sector), WPIN_OK);
        }
    }
}

static void shows_sector(const recorder *r, unsigned sector) {
    for (uint8_t l = 0; l < 6; l++) {
        ck_assert_msg(recorder_on(r, l) ==
                          (wpin_table_cell(&sectors, (uint8_t)(sector + 1), l) != WPIN_CELL_LOW),
                      "line %u in sector %u", l, sector);
    }
}

/* From every sector to every other, with an edge to any third one, or a trip, in the dead time. */
START_TEST(commutation_ends_on_the_newest_sector) {
    for (unsigned n = 0; n < 6U * 6U * 7U; n++) {
        unsigned from = n % 6, to = n / 6 % 6;
        int third = (int)(n / 36) - 1;
        recorder r;
        recorder_init(&r);
        r.pair_count = 3;
        for (int leg = 0; leg < 3; leg++) {
            r.high_pairs[leg][0] = 2 * leg;
            r.high_pairs[leg][1] = 2 * leg + 1;
        }
        r.port.pause = pause_with_edge;
        wpin_stage stage = {0};
        edge = (struct edge){&r, &stage, third, false};
        ck_assert_int_eq(wpin_stage_open(&stage, &sector_config, &r.port), WPIN_OK);
        ck_assert_int_eq(wpin_stage_commutate(&stage, 0), WPIN_OK); /* at rest nothing happens */
        ck_assert_int_eq(wpin_stage_drive(&stage), WPIN_DRIVE_COAST);
        ck_assert_int_eq(wpin_stage_commutate(&stage, 6), WPIN_REFUSED_STATE);
        ck_assert_int_eq(wpin_stage_apply(&stage, WPIN_DRIVE_SECTOR + from, 5000), WPIN_OK);
        shows_sector(&r, from);
        edge.comes = true;
        ck_assert_int_eq(wpin_stage_commutate(&stage, (uint8_t)to), WPIN_OK);
        bool came = !edge.comes; /* it pauses only where a leg turns */
        if (came && third < 0) {
            for (uint8_t l = 0; l < 6; l++) {
                ck_assert_msg(!recorder_on(&r, l), "line %u on after a trip", l);
            }
        } else {
            shows_sector(&r, came ? (unsigned)third : to);
        }
        ck_assert_uint_eq(r.shoot_through, 0);
        edge.comes = false;
        ck_assert_int_eq(wpin_stage_apply(&stage, WPIN_DRIVE_COAST, 0), WPIN_OK);
        ck_assert_int_eq(wpin_stage_apply(&stage, WPIN_DRIVE_SECTOR + to, 700), WPIN_OK);
        shows_sector(&r, to);
    }
}
END_TEST

/* A mode line waits for two dead times: that is no work for a fast interrupt. */
START_TEST(commutation_leaves_mode_lines_alone) {
    static const wpin_row rows[] = {WPIN_ROW(WPIN_DRIVE_COAST, K, L),
                                    WPIN_ROW(WPIN_DRIVE_SECTOR + 0, H, D),
                                    WPIN_ROW(WPIN_DRIVE_SECTOR + 1, L, D)};
    static const wpin_stage_table table = {
        .line_count = 2, .row_count = 3, .mode_lines = 1, .rows = rows};
    static const wpin_stage_config config = {
        .table = &table, .lines = sector_lines, .pwm_hz = 20000, .dead_time_us = 2};
    recorder r;
    recorder_init(&r);
    wpin_stage stage = {0};
    ck_assert_int_eq(wpin_stage_open(&stage, &config, &r.port), WPIN_OK);
    ck_assert_int_eq(wpin_stage_apply(&stage, WPIN_DRIVE_SECTOR, 5000), WPIN_OK);
    r.count = 0;
    ck_assert_int_eq(wpin_stage_commutate(&stage, 1), WPIN_REFUSED_STATE);
    ck_assert_uint_eq(r.count, 0);
    ck_assert_int_eq(wpin_stage_drive(&stage), WPIN_DRIVE_SECTOR);
    ck_assert_int_eq(wpin_stage_apply(&stage, WPIN_DRIVE_SECTOR + 1, 5000), WPIN_OK);
    ck_assert_int_eq(r.level[0], 0);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("sectors");
    TCase *tests = tcase_create("sectors");
    tcase_add_test(tests, commutation_ends_on_the_newest_sector);
    tcase_add_test(tests, commutation_leaves_mode_lines_alone);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
