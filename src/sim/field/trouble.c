/* What can be wrong with a drive on a field bus, and with the bus. */
#include "field.h"
#include <stdlib.h>

/* A frame that goes before nearly all others, and of which none is meant. */
#define FOREIGN_ID 1

static void ignore(void *context, const wpin_frame *frame, int64_t at) {
    (void)context;
    (void)frame;
    (void)at;
}

void wpin_field_fill(wpin_field_bus *bus) {
    static const wpin_frame frame = {.id = FOREIGN_ID, .length = WPIN_FRAME_BYTES};
    while (bus->full && bus->can.stations[bus->foreign].count < WPIN_CAN_QUEUE / 2) {
        wpin_can_queue(&bus->can, bus->foreign, &frame, bus->sim->now);
    }
}

static bool fill(wpin_field_bus *bus, bool on) {
    if (bus->foreign == 0) {
        int station = wpin_can_join(&bus->can, ignore, bus);
        if (station < 0) {
            return false;
        }
        bus->foreign = station;
    }
    bus->full = on;
    wpin_can_forget(&bus->can, bus->foreign);
    return true;
}

/* One that fell off the bus comes back with its next start. */
static bool fall_off(wpin_field_drive *drive, bool on) {
    drive->servo.bus_off = on;
    if (on) {
        drive->bus->can.stations[drive->servo.station].errors = WPIN_CAN_BUS_OFF;
    }
    return true;
}

/* Until it has met too many errors itself, it destroys what it can't read. */
static bool change_rate(wpin_field_drive *drive, bool on) {
    drive->servo.other_rate = on;
    drive->bus->can.destroys = on ? WPIN_CAN_PASSIVE / 8 : 0;
    return true;
}

static bool add_twin(wpin_field_drive *drive, bool on) {
    const wpin_servo *s = &drive->servo;
    if (drive->twin == NULL && drive->bus->can.station_count < WPIN_CAN_STATIONS) {
        drive->twin = calloc(1, sizeof *drive->twin);
        if (drive->twin == NULL) {
            return false;
        }
        wpin_servo_init(drive->twin, s->can, s->number, &s->motor);
    }
    if (drive->twin != NULL) {
        drive->twin->cable_off = !on;
    }
    return drive->twin != NULL;
}

static bool inject(wpin_field_drive *drive, wpin_part_fault fault, bool on) {
    wpin_servo *s = &drive->servo;
    switch (fault) {
    case WPIN_PART_FAULT_DEAF: s->deaf = on; return true;
    case WPIN_PART_FAULT_LOCAL: s->local = on; return true;
    case WPIN_PART_FAULT_CABLE_OFF: s->cable_off = on; return true;
    case WPIN_PART_FAULT_BUS_OFF: return fall_off(drive, on);
    case WPIN_PART_FAULT_BUS_FULL: return fill(drive->bus, on);
    case WPIN_PART_FAULT_BUS_RATE: return change_rate(drive, on);
    default: return add_twin(drive, on);
    }
}

bool wpin_field_inject(wpin_sim *sim, wpin_part_fault fault, int bridge, bool on) {
    for (int i = 0; sim->field != NULL && i < sim->field->drive_count; i++) {
        if (sim->field->drives[i]->bridge == bridge) {
            return inject(sim->field->drives[i], fault, on);
        }
    }
    return false;
}
