/** @file network.h
 * The nodes of a field bus by CiA 301, seen by the one that commands them: who is there and in
 * which state, SYNC, the heartbeats both ways, emergencies, and the reading and writing of objects
 * one after the other.
 *
 *     static wpin_network network;
 *     static wpin_node node;
 *     wpin_network_open(&network, &network_config, &fieldbus);
 *     wpin_network_add(&network, &node, 5);
 *     wpin_object_read(&node, 0x1018, 1, &vendor, 4);      // begins it
 *     // wpin_network_poll(&network) every millisecond, until
 *     if (wpin_object_done(&node)) { status = node.transfer.result; ... }
 *
 * Nothing waits: what takes time is begun here and goes on in wpin_network_poll. A question that is
 * not answered in time is asked again, WPIN_TRANSFER_TRIES times in all, and then refused by name.
 */
#ifndef WINDPIN_NETWORK_H
#define WINDPIN_NETWORK_H

#include "api.h"
#include "fieldbus.h"
#include "status.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Node numbers are 1 to this; 0 is "all of them". */
#define WPIN_NODE_MAX 127

/** How often a question is asked before it is given up. */
#define WPIN_TRANSFER_TRIES 3

/** @name Commands of network management (CiA 301, 7.2.8)
 * @{ */
#define WPIN_NMT_START       ((uint8_t)1)   /**< Operational: process data goes. */
#define WPIN_NMT_STOP        ((uint8_t)2)   /**< Only network management is heard. */
#define WPIN_NMT_PREPARE     ((uint8_t)128) /**< Pre-operational: objects, no process data. */
#define WPIN_NMT_RESET       ((uint8_t)129) /**< The whole node begins anew. */
#define WPIN_NMT_RESET_TALKS ((uint8_t)130) /**< Only its communication does. */
/** @} */

/** @name States of a node, as its heartbeat tells them
 * @{ */
#define WPIN_NODE_BOOTS       ((uint8_t)0)
#define WPIN_NODE_STOPPED     ((uint8_t)4)
#define WPIN_NODE_OPERATIONAL ((uint8_t)5)
#define WPIN_NODE_PREPARED    ((uint8_t)127)
#define WPIN_NODE_UNKNOWN     ((uint8_t)255) /**< It has not been heard, or is silent. */
/** @} */

/** @name Identifiers of the standard connection set, to which a node's number is added
 * @{ */
#define WPIN_ID_NMT       0x000U /**< Alone. */
#define WPIN_ID_SYNC      0x080U /**< Alone; with a number: the node's emergencies. */
#define WPIN_ID_OUT_1     0x180U /**< Process data 1 to 4 that a node sends, each 0x100 further. */
#define WPIN_ID_IN_1      0x200U /**< The same that it is sent. */
#define WPIN_ID_ANSWER    0x580U /**< Of a node about an object. */
#define WPIN_ID_QUESTION  0x600U /**< To a node about an object. */
#define WPIN_ID_HEARTBEAT 0x700U
/** @} */

/** How a transfer of an object stands. */
typedef enum wpin_transfer_state {
    WPIN_TRANSFER_IDLE = 0,
    WPIN_TRANSFER_READS,    /**< The first answer is awaited. */
    WPIN_TRANSFER_READS_ON, /**< One in pieces of seven bytes. */
    WPIN_TRANSFER_WRITES,
    WPIN_TRANSFER_WRITES_ON,
} wpin_transfer_state;

/** An object on its way. Part of a node. */
typedef struct wpin_transfer {
    uint8_t state;  /**< wpin_transfer_state. */
    uint8_t tries;  /**< Left, this one not counted. */
    uint8_t toggle; /**< 0 or 16, as in the frame. */
    uint8_t sub;
    uint16_t index;
    uint16_t room;       /**< Bytes at `to`, or to be sent. */
    uint16_t size;       /**< Bytes read or sent so far. */
    uint8_t *to;         /**< Where it is read to; NULL: it is written. */
    const uint8_t *from; /**< What is written. */
    wpin_moment asked_at;
    uint8_t small[4]; /**< What is written, where it is short. */
    uint8_t result;   /**< wpin_status of the last transfer: see wpin_object_read. */
    uint32_t abort;   /**< Why the node refused it: see wpin_abort_text; 0: it did not. */
} wpin_transfer;

struct wpin_network;

/** A node of the network. Placed by the caller; the fields may be read in the tick. */
typedef struct wpin_node {
    struct wpin_node *next;
    struct wpin_network *network; /**< NULL: it belongs to none. */
    uint8_t number;
    volatile uint8_t state; /**< WPIN_NODE_… as heard last. */
    uint8_t boots;          /**< How often it said that it has just begun. */
    uint8_t masters;        /**< Frames to it that somebody else sent, saturated. */
    uint8_t doubles;        /**< Answers that nobody asked for, saturated: another node has its
                                 number. */
    uint8_t spare;          /**< Answers that may still come too late, or to others, saturated. */
    uint8_t error_register; /**< Of its last emergency, CiA 301 object 1001h. */
    uint16_t emergency;     /**< Its last one's code; 0: none, or taken back. */
    uint16_t emergencies;   /**< How many came, saturated. */
    uint16_t retries;       /**< Questions asked again, saturated. */
    uint32_t silent_us;     /**< Since its last heartbeat, saturated. */
    uint32_t heartbeat_us;  /**< It is silent when none comes for this long, us; 0: not watched. */
    uint32_t guard_us;      /**< It is asked for its state so often (node guarding), us; 0: not. */
    uint32_t to_guard_us;   /**< Until the next. */
    uint8_t guarded;        /**< Toggle bit that its next answer has, 0 or 128. */
    wpin_transfer transfer;
    /** Takes process data of the node, 1 to 4; or NULL. Tick. */
    void (*take)(void *context, uint8_t number, const wpin_frame *frame);
    void *context;
} wpin_node;

/** Everything constant about a network. The caller keeps it alive. */
typedef struct wpin_network_config {
    uint32_t sync_us;      /**< SYNC is sent so often, us, up to WPIN_SPAN_MAX; 0: never. */
    uint32_t heartbeat_us; /**< The own heartbeat, us; 0: none... */
    uint8_t number;        /**< ...under this number, 1 to WPIN_NODE_MAX. */
    uint32_t answer_us;    /**< A question is answered within this, us; 0: 50 ms. */
} wpin_network_config;

/** A network at work. Placed by the caller. */
typedef struct wpin_network {
    const WPIN_FAR wpin_network_config *config; /**< NULL: not open. */
    const wpin_fieldbus *bus;
    wpin_node *nodes;
    wpin_moment last;                     /**< When it was polled. */
    uint32_t to_sync_us, to_heartbeat_us; /**< Until the next. */
    uint8_t syncs;                        /**< How many were sent; wraps. */
    uint16_t unsent;                      /**< Frames that the bus did not take, saturated. */
    uint16_t bad;                         /**< Frames that say what nobody may say, saturated. */
} wpin_network;

/** Ready to be polled, without nodes; sends nothing. Refused: _ARGUMENT, _RANGE. Init. */
WPIN_API wpin_status wpin_network_open(wpin_network *network,
                                       const WPIN_FAR wpin_network_config *config,
                                       const wpin_fieldbus *bus);

/** A node by its number, 1 to WPIN_NODE_MAX; the caller keeps it alive. Nothing is sent. Refused:
 * _ARGUMENT, _CLOSED, _RANGE, _CONFLICT (another node has the number, or it is the network's own).
 * Init. */
WPIN_API wpin_status wpin_network_add(wpin_network *network, wpin_node *node, uint8_t number);

/** Receives all that came, sends SYNC and heartbeat when they are due, asks again what was not
 * answered. May be called more often than needed. Tick. */
WPIN_API void wpin_network_poll(wpin_network *network);

/** Sends a frame, and counts those that are not taken. Tick. */
WPIN_API bool wpin_network_send(wpin_network *network, const wpin_frame *frame);

/** A command of network management, WPIN_NMT_…, to a node; 0: to all. False: it was not sent. Tick.
 */
WPIN_API bool wpin_network_command(wpin_network *network, uint8_t command, uint8_t number);

/** Begins to read an object into `to`, of so many bytes at the most. When it is done, the node's
 * transfer.result says what came of it: WPIN_OK (transfer.size bytes), _RANGE (it is longer than
 * that), _OBJECT (the node refused it: transfer.abort), _SILENT (it does not answer). Refused:
 * _ARGUMENT, _CLOSED (it belongs to no network), _BUSY (another transfer is going on). Tick. */
WPIN_API wpin_status wpin_object_read(wpin_node *node, uint16_t index, uint8_t sub, void *to,
                                      uint16_t room);

/** Begins to write an object. Up to four bytes are copied, of more the caller keeps them alive. As
 * wpin_object_read. Tick. */
WPIN_API wpin_status wpin_object_write(wpin_node *node, uint16_t index, uint8_t sub,
                                       const void *from, uint16_t size);

/** The same of a number of 1, 2 or 4 bytes, which is sent with its lowest byte first. Tick. */
WPIN_API wpin_status wpin_object_write_number(wpin_node *node, uint16_t index, uint8_t sub,
                                              uint32_t value, uint8_t size);

/** Whether no transfer is going on. Tick. */
WPIN_API bool wpin_object_done(const wpin_node *node);

/** Gives a transfer up, and says so to the node. Tick. */
WPIN_API void wpin_object_abort(wpin_node *node);

/** @name Numbers in frames and objects: the lowest byte first. Any context.
 * @{ */
WPIN_API uint32_t wpin_number_from(const uint8_t *bytes, uint8_t size);
WPIN_API void wpin_number_to(uint8_t *bytes, uint32_t value, uint8_t size);
/** @} */

/** What a node's reason for refusing an object means, one sentence; NULL for a code of its own
 * (CiA 301, 7.2.4.3.17). The texts lie in a file of their own. Any context. */
WPIN_API const WPIN_FAR char *wpin_abort_text(uint32_t code);

#ifdef __cplusplus
}
#endif
#endif
