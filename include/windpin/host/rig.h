/** @file rig.h
 * The rig file: what is on the bench, described once. Reading checks it completely and reports
 * every mistake with its place. Host only. See docs/rig.md for the file itself.
 */
#ifndef WINDPIN_RIG_H
#define WINDPIN_RIG_H

#include "rig_figures.h"
#include "rig_model.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Told what keeps a rig, by a part of it, from something, and what would do. */
typedef void wpin_rig_tell(void *context, const char *part, const char *what, const char *cure);
/** Whether a rig can move the pins of a small computer, as far as its file tells; `tell` is told of
 * each thing that it can not. */
WPIN_API bool wpin_rig_fits_linux(const wpin_rig *rig, wpin_rig_tell *tell, void *context);
/** Its linux section, or an empty one where it needs no pins of this computer; NULL: it lacks one.
 */
WPIN_API const wpin_rig_linux *wpin_rig_linux_of(const wpin_rig *rig);
/** Silence there after which all is made safe, s. */
WPIN_API double wpin_rig_guard_linux(const wpin_rig *rig);

/** Reads and checks a rig file. NULL with at least one message when anything is wrong.
 * `path` must outlive the messages' use of it only during the call. */
WPIN_API wpin_rig *wpin_rig_read(const char *path, wpin_messages *messages);
/** Writes the rig file `from` to `to` (they may be one) with one value changed: "pump.rest=500ms",
 * "drum.motor.load.inertia=800kgcm2", a part and keys below it. A key that is not there yet is put
 * in. `was` is what stood there. False with the reason; whether the new value is good,
 * wpin_rig_read says. */
WPIN_API bool wpin_rig_change(const char *from, const char *to, const char *change, char *was,
                              size_t was_size, char *why, size_t why_size);
/** Frees a rig; NULL is fine. */
WPIN_API void wpin_rig_free(wpin_rig *rig);

/** The word for what a wire is; the wire of a load that is it, NULL without one; the pin on which
 * the rig reads such a wire, -1: none. */
WPIN_API const char *wpin_wire_word(wpin_wire_is is);
/** The name of an output of a load's driver: a, b, c; for a stepper a1, a2, b1, b2. */
WPIN_API const char *wpin_wire_output(const wpin_rig_load *load, int number);
WPIN_API const wpin_rig_wire *wpin_rig_wire_of(const wpin_rig_load *load, wpin_wire_is is);
WPIN_API int wpin_rig_wire_pin(const wpin_rig_load *load, wpin_wire_is is);
/** Whether a sensor lives on where its plus wire goes: logic, or a supply of no more volts. */
WPIN_API bool wpin_rig_wire_feeds(const wpin_rig *rig, const wpin_rig_wire *plus);

/** All that a pin is called besides its number, "header 7, X4"; "" if nothing. */
WPIN_API const char *wpin_rig_pin_called(const wpin_rig *rig, uint8_t pin, char *to, size_t size);

/** Whether a part may be called that: letters, digits, '-' and '_', beginning with a letter. */
WPIN_API bool wpin_rig_name_fits(const char *name);
/** Whether it is a word that plans or reports keep for themselves. */
WPIN_API bool wpin_rig_name_is_reserved(const char *name);
/** Number of the load or supply of this name without regard to case, or -1. */
WPIN_API int wpin_rig_find_load(const wpin_rig *rig, const char *name);
WPIN_API int wpin_rig_find_supply(const wpin_rig *rig, const char *name);
/** The load that a name may have meant, as wpin_nearest_word; NULL: none. */
WPIN_API const char *wpin_rig_nearest_load(const wpin_rig *rig, const char *name);
/** Who shares a pin. */
typedef struct wpin_rig_sharing {
    size_t load;    /**< First load on it... */
    unsigned line;  /**< ...and its line. */
    uint8_t user;   /**< Number of the load asked about among them, from 0. */
    unsigned count; /**< How many; 0: the pin is not shared. */
} wpin_rig_sharing;
/** Who shares the pin of a line of load number `load`. */
WPIN_API wpin_rig_sharing wpin_rig_shares(const wpin_rig *rig, size_t load, unsigned line);
/** The place of a part's first key among `keys`, e.g. "driver current-limit; motor": groups in
 * order of preference, in each a key and perhaps keys below it. The part's own place when the file
 * has none of them; NULL for a part it does not know. */
WPIN_API const wpin_rig_place *wpin_rig_place_of(const wpin_rig *rig, const char *part,
                                                 const char *keys);
/** What the rig accepts on purpose, as "pump stall-current; pump rest"; "" for nothing. */
WPIN_API const char *wpin_rig_accepted(const wpin_rig *rig, char *to, size_t size);
/** How records name the rig: its fingerprint, and what it accepts, if anything. */
WPIN_API const char *wpin_rig_mark(const wpin_rig *rig, char *to, size_t size);
/** Room enough for those two. */
#define WPIN_RIG_MARK_MAX 512
/** Reads "NAME FAULT" or "LOAD wire-off LINE", e.g. "pump stalled". False with the reason. */
WPIN_API bool wpin_injection_read(const wpin_rig *rig, const char *text, wpin_injection *injection,
                                  char *why, size_t why_size);
/** The same for inputs. */
WPIN_API int wpin_rig_find_input(const wpin_rig *rig, const char *name);

#ifdef __cplusplus
}
#endif
#endif
