/* Relays: contacts that are open or closed at rest, snubbers, solid-state outputs, and what may
 * be on alternating current. */
#include "rig_parts.h"

static const wpin_field snubber_fields[] = {
    QUANTITY("resistance", wpin_rig_contact, snubber_ohms, true, WPIN_RESISTANCE, 1, 10e3),
    QUANTITY("capacitor", wpin_rig_contact, snubber_farads, true, WPIN_CAPACITANCE, 1e-10, 1e-5),
};

void wpin_read_contact(wpin_reader *reader, const yaml_node_t *driver, yaml_node_t *snubber,
                       wpin_rig_load *load) {
    wpin_rig_contact *c = &load->contact;
    const wpin_stage_kind *kind = load->kind;
    bool relay = kind != NULL && kind->contacts && kind->table == &wpin_table_relay;
    if (snubber != NULL) {
        wpin_read_map(reader, snubber, "snubber", snubber_fields, COUNT(snubber_fields), c, NULL);
        load->bridge.no_diodes = false; /* it takes up what the winding drives on */
    }
    if (kind != NULL && c->closed && !relay) {
        wpin_say_at(reader, driver, "only the one contact of a 'relay' may be closed at rest");
    }
    if (kind != NULL && !kind->solid && (c->triacs || c->leakage > 0)) {
        wpin_say_at(reader, driver,
                    "'output' and 'leakage' are a solid-state relay's; '%s' is none", kind->name);
    }
    if (kind != NULL && !kind->contacts && c->operations > 0) {
        wpin_say_at(reader, driver, "'operations-per-hour' is of contacts; '%s' has none",
                    kind->name);
    }
    if (relay && c->closed) {
        load->inverts[0] = true; /* without current in its coil it is on */
    }
}

void wpin_check_alternating(wpin_reader *reader, const yaml_node_t *node, const wpin_rig *rig,
                            const wpin_rig_load *load) {
    const wpin_rig_supply *s = &rig->supplies[load->supply];
    bool filament = wpin_rig_type(load)->shines && load->lamp.forward_volts <= 0;
    bool contact = load->kind->contacts || load->kind->solid;
    if (!s->alternating) {
        return;
    }
    if (!filament) {
        wpin_say_at(reader, node,
                    "'%s' is fed from '%s', which alternates: only lamps with a filament are known "
                    "there; motors, solenoids and diodes take direct current",
                    load->name, s->name);
    } else if (load->kind->solid && !load->contact.triacs) {
        wpin_say_at(reader, node,
                    "the output of '%s' is for direct current, and '%s' alternates: it would pass "
                    "one half of it, all the time; expected output: alternating",
                    load->name, s->name);
    } else if (!contact) {
        wpin_say_at(reader, node,
                    "'%s' passes current one way only, and '%s' alternates; expected a relay, or a "
                    "solid-state-relay with output: alternating",
                    load->kind->name, s->name);
    }
}
