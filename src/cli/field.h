/* What the actions of windpin field share: a field bus, nodes on it, one question after the other.
 */
#ifndef WPIN_CLI_FIELD_H
#define WPIN_CLI_FIELD_H

#include "cli.h"
#include "windpin/host/bearer.h"
#include "windpin/host/eds.h"
#include "windpin/host/objects.h"

typedef struct field {
    const char *place;
    wpin_bearer *bearer;
    wpin_fieldbus bus, bearer_bus;
    wpin_network_config config;
    wpin_network network;
    unsigned heard[WPIN_NODE_MAX + 1]; /* answers about objects, of each */
    unsigned beats[WPIN_NODE_MAX + 1]; /* heartbeats */
    unsigned long frames;
    unsigned answers;              /* that were waited for: */
    double answered_in, latest_in; /* s, all together, and the longest */
} field;

/* Opens a place; false with a complaint. */
bool field_open(field *f, const char *place);
void field_close(field *f);
/* Lets so many seconds pass on it. */
void field_pass(field *f, double seconds);
/* Reads an object of a node that was added; its bytes. False: node->transfer says why not. */
bool field_read(field *f, wpin_node *node, uint16_t index, uint8_t sub, void *to, uint16_t room);
bool field_write(field *f, wpin_node *node, uint16_t index, uint8_t sub, const void *from,
                 uint16_t size);
/* Has a node keep all its parameters without power. */
bool field_store(field *f, wpin_node *node);
/* Reads a data sheet; NULL where no path is given. False with a complaint. */
bool field_read_sheet(const char *path, wpin_eds **eds);
/* A text: "" where there is none. */
void field_read_text(field *f, wpin_node *node, uint16_t index, char *to, size_t size);
/* Why the last transfer of a node came to nothing, in words. */
void field_say_why(const field *f, const wpin_node *node, char *to, size_t size);
/* How fast answers came, what was asked again, what arrived damaged; "" where nothing was asked. */
void field_say_quality(const field *f, char *to, size_t size);
/* A node's number in words; 0 with a complaint. */
uint8_t field_node(const char *text);
/* A value as its object has it: a number with its unit, a state, an error in words. */
void field_say_value(const wpin_known_object *known, const uint8_t *bytes, uint16_t size, char *to,
                     size_t room);
/* Its bits as a number, with a sign where the object has one. */
long long field_number(const wpin_known_object *known, uint32_t bits, uint16_t size);
/* A frame in words. */
void field_say_frame(const wpin_frame *frame, char *to, size_t size);
/* At which rate a place goes, and how its end here fares; "" where nothing tells. */
void field_say_rate(const char *place, char *to, size_t size);
/* States of nodes. */
const char *field_node_state(uint8_t state);

/* The actions; argv[0] is "windpin field ACTION". */
int field_look(int argc, char **argv);
int field_object(int argc, char **argv);
int field_settings(int argc, char **argv);
int field_parameters(int argc, char **argv);
int field_listen(int argc, char **argv);
int field_watch(int argc, char **argv);
int field_drives(int argc, char **argv);

#endif
