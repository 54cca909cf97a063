/* The drive as a node of CiA 301, between its files. */
#ifndef WPIN_SIM_FIELD_NODE_H
#define WPIN_SIM_FIELD_NODE_H

#include "servo.h"

#define WPIN_MS_PS 1000000000LL

/* States of network management, as in a heartbeat. */
enum { WPIN_STOPPED = 4, WPIN_OPERATIONAL = 5, WPIN_PREPARED = 127 };

/* node_data.c: a frame to everybody; an emergency. */
void wpin_servo_send(wpin_servo *s, unsigned id, const unsigned char *data, size_t length,
                     int64_t at);
void wpin_servo_send_emergency(wpin_servo *s, int code, int64_t now);
/* Process data come in, and go out at a sync. */
void wpin_servo_hear_data(wpin_servo *s, const wpin_frame *frame, int64_t at);
void wpin_servo_hear_sync(wpin_servo *s, int64_t at);
/* A number as it stands in a frame; whether an object may have it; what follows from one that was
 * just written; the object that an entry maps, below 0: none; whether one says what is mapped now,
 * and so is kept as it is. */
int64_t wpin_servo_taken(const unsigned char *data, size_t bytes, bool sign);
bool wpin_servo_in_range(int object, int64_t value);
void wpin_servo_follow(wpin_servo *s, int object);
int wpin_servo_mapped(int64_t entry, size_t *bytes);
bool wpin_servo_is_locked(const wpin_servo *s, int object);
/* node_objects.c: an object is asked for or written; all of them are stored now. */
void wpin_servo_hear_question(wpin_servo *s, const wpin_frame *frame, int64_t at);
void wpin_servo_have_stored(wpin_servo *s);

#endif
