/* Field buses and the drives on them, as parts of a board: a drive sees its motor and its supply
 * four times a millisecond and sets its stage, which gives the motor a share of the supply. */
#include "field.h"
#include <math.h>
#include <stdlib.h>

#define PI 3.14159265358979323846

static struct wpin_field *field_of(wpin_sim *sim) {
    if (sim->field == NULL) {
        sim->field = calloc(1, sizeof *sim->field);
    }
    return sim->field;
}

void wpin_field_free(struct wpin_field *field) {
    for (int i = 0; field != NULL && i < field->bus_count; i++) {
        free(field->buses[i]);
    }
    for (int i = 0; field != NULL && i < field->drive_count; i++) {
        free(field->drives[i]->twin);
        free(field->drives[i]);
    }
    free(field);
}

/* ---- the controller's end ---- */

static void hear(void *context, const wpin_frame *frame, int64_t at) {
    wpin_field_bus *bus = context;
    (void)at;
    if (bus->count == WPIN_FIELD_HEARD) {
        bus->missed++;
        return;
    }
    bus->heard[(bus->first + bus->count++) % WPIN_FIELD_HEARD] = *frame;
}

static bool port_send(void *context, const wpin_frame *frame) {
    wpin_field_bus *bus = context;
    return bus->can.stations[bus->station].count < WPIN_FIELD_MAILS &&
           wpin_can_queue(&bus->can, bus->station, frame, bus->sim->now);
}

static void port_drop(void *context) {
    wpin_field_bus *bus = context;
    wpin_can_run(&bus->can, bus->sim->now);
    wpin_can_drop(&bus->can, bus->station);
}

static bool port_receive(void *context, wpin_frame *frame) {
    wpin_field_bus *bus = context;
    wpin_can_run(&bus->can, bus->sim->now);
    if (bus->count == 0) {
        return false;
    }
    *frame = bus->heard[bus->first];
    bus->first = (bus->first + 1) % WPIN_FIELD_HEARD;
    bus->count--;
    return true;
}

static wpin_moment port_now(void *context) {
    const wpin_field_bus *bus = context;
    return bus->sim->controller.clock_start + (wpin_moment)(bus->sim->now / 1000000);
}

int wpin_sim_add_fieldbus(wpin_sim *sim, double bit_rate) {
    struct wpin_field *field = field_of(sim);
    if (field == NULL || field->bus_count == WPIN_FIELD_BUSES || !(bit_rate > 0)) {
        return -1;
    }
    wpin_field_bus *bus = calloc(1, sizeof *bus);
    if (bus == NULL) {
        return -1;
    }
    bus->sim = sim;
    bus->can.bit_rate = bit_rate;
    bus->station = wpin_can_join(&bus->can, hear, bus);
    field->buses[field->bus_count] = bus;
    return field->bus_count++;
}

static wpin_field_bus *bus_of(const wpin_sim *sim, int number) {
    bool there = sim->field != NULL && number >= 0 && number < sim->field->bus_count;
    return there ? sim->field->buses[number] : NULL;
}

bool wpin_sim_fieldbus(wpin_sim *sim, int number, wpin_fieldbus *bus) {
    wpin_field_bus *mine = bus_of(sim, number);
    *bus = (wpin_fieldbus){mine, port_send, port_receive, port_now, port_drop};
    return mine != NULL;
}

bool wpin_sim_watch_fieldbus(wpin_sim *sim, int number, wpin_sim_frame_watcher *watcher,
                             void *context) {
    wpin_field_bus *bus = bus_of(sim, number);
    if (bus != NULL) {
        bus->can.watcher = watcher;
        bus->can.watcher_context = context;
    }
    return bus != NULL;
}

int wpin_sim_join_fieldbus(wpin_sim *sim, int number, wpin_sim_frame_watcher *others,
                           void *context) {
    wpin_field_bus *bus = bus_of(sim, number);
    return bus == NULL ? -1 : wpin_can_join(&bus->can, others, context);
}

bool wpin_sim_tell_fieldbus(wpin_sim *sim, int number, int who, const wpin_frame *frame) {
    wpin_field_bus *bus = bus_of(sim, number);
    return bus != NULL && who >= 0 && who < bus->can.station_count &&
           wpin_can_queue(&bus->can, who, frame, sim->now);
}

wpin_part_bus_use wpin_sim_fieldbus_use(const wpin_sim *sim, int number) {
    const wpin_field_bus *bus = bus_of(sim, number);
    wpin_part_bus_use use = {0};
    if (bus != NULL) {
        use.frames = (double)bus->can.frames;
        use.bits = (double)bus->can.bits;
        use.missed = bus->missed;
    }
    return use;
}

/* ---- drives ---- */

static wpin_servo_motor known(const wpin_plant *plant, const wpin_supply *supply,
                              const wpin_part_axis *part) {
    return (wpin_servo_motor){.resistance = plant->motor.resistance,
                              .inductance = plant->motor.inductance,
                              .constant = plant->motor.constant,
                              .inertia = plant->inertia,
                              .rated_amps = part->rated_amps,
                              .counts = part->counts,
                              .volts = supply->part.volts,
                              .unit = part->velocity_unit > 0 ? part->velocity_unit : 1};
}

bool wpin_sim_add_drive(wpin_sim *sim, const wpin_part_axis *part, int number, int bridge) {
    wpin_field_bus *bus = bus_of(sim, number);
    struct wpin_field *field = sim->field;
    bool sound = bus != NULL && field->drive_count < WPIN_FIELD_DRIVES && bridge >= 0 &&
                 bridge < sim->bridge_count && sim->bridges[bridge].motor != WPIN_SIM_NO_WIRE &&
                 bus->can.station_count < WPIN_CAN_STATIONS && part->number >= 1 &&
                 part->number <= 127 && part->counts >= 1 && part->rated_amps > 0 &&
                 part->logic_supply < sim->supply_count;
    wpin_field_drive *drive = sound ? calloc(1, sizeof *drive) : NULL;
    if (drive == NULL) {
        return false;
    }
    const wpin_bridge *b = &sim->bridges[bridge];
    wpin_servo_motor motor = known(sim->plants[b->motor], &sim->supplies[b->supply], part);
    drive->bridge = bridge;
    drive->bus = bus;
    wpin_servo_init(&drive->servo, &bus->can, part->number, &motor);
    drive->servo.switches = part->switches;
    wpin_servo_add(&drive->servo, part->objects, part->object_count);
    drive->logic_supply = part->logic_supply;
    field->drives[field->drive_count++] = drive;
    return true;
}

/* Its limit switches are a hundredth of its travel before its end stops. */
static unsigned limits_of(const wpin_plant *plant) {
    double near = fmax(2 * PI / 100, 0.01 * (plant->high_angle - plant->low_angle));
    bool low = plant->has_stops && plant->angle <= plant->low_angle + near;
    bool high = plant->has_stops && plant->angle >= plant->high_angle - near;
    return (low ? 1U : 0U) | (high ? 2U : 0U);
}

static void set_stage(const wpin_bridge *bridge, wpin_plant *plant, bool drives, double out) {
    drives = drives && !bridge->motor_off;
    out = bridge->motor_swapped ? -out : out;
    double share = drives ? fabs(out) : 1;
    plant->leg_a = !drives ? WPIN_LEG_OFF : out >= 0 ? WPIN_LEG_HIGH : WPIN_LEG_LOW;
    plant->leg_b = !drives ? WPIN_LEG_OFF : out >= 0 ? WPIN_LEG_LOW : WPIN_LEG_HIGH;
    if (plant->feed.share != share) { /* the supply's own ohms, a trifle, stay as they were seen */
        plant->feed.share = share;
        wpin_plant_fed(plant);
    }
}

static double volts_of(const wpin_sim *sim, int number) {
    const wpin_supply *supply = &sim->supplies[number];
    return wpin_supply_live(sim, supply) ? supply->part.volts : 0;
}

static void step(wpin_sim *sim, wpin_field_drive *drive) {
    wpin_bridge *bridge = &sim->bridges[drive->bridge];
    wpin_plant *plant = sim->plants[bridge->motor];
    bool sound = !bridge->burnt && !bridge->no_ground;
    bool live = sound && wpin_supply_live(sim, &sim->supplies[bridge->supply]);
    double volts = live ? plant->feed.volts - plant->feed.sag : 0;
    double logic = drive->logic_supply < 0 ? volts : volts_of(sim, drive->logic_supply);
    wpin_servo *s = &drive->servo;
    wpin_servo_sight sight = {.turns = plant->angle / (2 * PI),
                              .amps = bridge->motor_swapped ? -plant->amps : plant->amps,
                              .volts = volts,
                              .logic_volts = sound ? logic : 0,
                              .limits = limits_of(plant)};
    wpin_servo_step(s, sim->now, &sight);
    set_stage(bridge, plant, live && s->drives, s->volts_out);
    if (drive->twin != NULL) { /* its motor stands still somewhere else */
        sight.turns = sight.amps = sight.limits = 0;
        wpin_servo_step(drive->twin, sim->now, &sight);
    }
}

bool wpin_sim_lose_frame(wpin_sim *sim, int number, unsigned long nth) {
    wpin_field_bus *bus = bus_of(sim, number);
    if (bus != NULL) {
        bus->can.lose = nth;
    }
    return bus != NULL;
}

int64_t wpin_field_window(const wpin_sim *sim) {
    bool some = sim->field != NULL && sim->field->drive_count > 0;
    return some ? sim->field->next - sim->now : INT64_MAX;
}

void wpin_field_settle(wpin_sim *sim) {
    struct wpin_field *field = sim->field;
    for (int i = 0; field != NULL && i < field->bus_count; i++) {
        wpin_field_fill(field->buses[i]);
        wpin_can_run(&field->buses[i]->can, sim->now);
    }
    if (field == NULL || sim->now < field->next) {
        return;
    }
    for (int i = 0; i < field->drive_count; i++) {
        step(sim, field->drives[i]);
    }
    field->next = sim->now + WPIN_SERVO_STEP_PS;
}
