/* What every actuator needs that turns a brushless motor by the six rows of a three-phase stage. */
#ifndef WPIN_CORE_SECTOR_ROWS_H
#define WPIN_CORE_SECTOR_ROWS_H

#include "stage_core.h"

/* The six rows stand one after the other, with all mode lines alike. */
bool wpin_sector_rows_hold(const WPIN_FAR wpin_stage_table *table);

/* Three inputs, each on a pin of its own that no line of the stage has. */
bool wpin_inputs_hold(const WPIN_FAR wpin_stage_config *config, const WPIN_FAR wpin_pin *pins);

/* The effort that a stage shows while it is driven that way, as the motor counts it. */
wpin_duty wpin_sector_shown(const wpin_stage *stage, int8_t direction);

/* Traits of an actuator on such a stage. */
uint8_t wpin_sector_traits(const wpin_stage *stage);

/* Nothing driven: coast, or brake where there is no coast. */
wpin_drive wpin_sector_rest(const wpin_stage *stage);

#endif
