/* What brings people and programs to a session, and the session to them. Only for the tool. */
#ifndef WPIN_SERVER_H
#define WPIN_SERVER_H

#include "windpin/host/live.h"
#include <jansson.h>

#define WPIN_PROTOCOL 1 /* version of the lines and what they answer */

/* ---- the clock on the wall ---- */

/* Keeps a session with it. Time that was lost is not made up for. */
typedef struct wpin_pace {
    double begun;           /* s of the monotonic clock at the session's 0 */
    double late_after;      /* a gap of so many seconds is a fault */
    bool real;              /* the session's time goes on by itself; carried on up to: */
    double at;              /* s of the session */
    double worst;           /* s by which a control period was late at the most */
    unsigned long periods;  /* how many there were */
    unsigned gaps;          /* longer than late_after */
    unsigned long bins[24]; /* how many were late by up to 2^n us */
} wpin_pace;

double wpin_wall_seconds(void);
void wpin_pace_begin(wpin_pace *pace, double late_after);
/* The same of a bench whose own clock it is. */
void wpin_pace_begin_real(wpin_pace *pace, const wpin_live *live);
/* Carries the session on to now. After a gap everyone's command is lost, and what moves faults with
 * WPIN_FAULT_LATE. False once the session is over. */
bool wpin_pace_on(wpin_pace *pace, wpin_live *live, double now);
/* Seconds until something is due, at least 0. */
double wpin_pace_wait(const wpin_pace *pace, const wpin_live *live, double now);
/* The lateness, s, that 99 % of the periods kept. */
double wpin_pace_p99(const wpin_pace *pace);

/* ---- JSON ---- */

/* Who speaks here and what there is; the state; one of the news; an answer. NULL when out of
 * memory.
 */
json_t *wpin_hello_json(const wpin_live *live, int source);
json_t *wpin_state_json(const wpin_live *live, const wpin_pace *pace, unsigned long count);
json_t *wpin_news_json(const wpin_live *live, size_t count);
json_t *wpin_answer_json(unsigned long request, const wpin_live_answer *answer);
json_t *wpin_checklist_json(const wpin_live *live);
/* The lines of the plan on offer, with when they begin by its ramps and times. */
json_t *wpin_plan_json(const wpin_live *live);

/* Whether bytes are text, UTF-8 without a zero: an answer may have them in it. */
bool wpin_is_text(const char *bytes, size_t length);
/* A value as a line with its end, and the value freed; NULL when out of memory. To be freed. */
char *wpin_json_line(json_t *value, size_t *length);

/* The state as it was written last: whoever asks at the same moment gets the same text. */
typedef struct wpin_states {
    unsigned long count; /* how many so far: their numbers */
    double at;           /* s of the session */
    char *text;          /* with the end of its line */
    size_t length;
} wpin_states;

/* The state now, or of a few milliseconds ago, as a line; NULL when out of memory. */
const char *wpin_states_line(wpin_states *states, const wpin_live *live, const wpin_pace *pace);
void wpin_states_free(wpin_states *states);

/* ---- lines ---- */

/* One conversation in lines: requests come as bytes, answers go out as lines of JSON. */
typedef struct wpin_talk {
    wpin_live *live;
    const wpin_pace *pace;
    wpin_states *states; /* of all conversations */
    int source;
    /* Takes a line with its end; false when there is no room: then it is not said. */
    bool (*say)(void *context, const char *line, size_t length);
    void *context;
    char line[WPIN_LIVE_LINE + 16];
    size_t length;
    bool too_long, closed; /* the present line; 'bye' was said */
    unsigned long requests;
    unsigned long unsaid; /* lines there was no room for */
    size_t news;          /* told up to this number */
    double period, next;  /* of state without being asked, s; 0: none */
} wpin_talk;

/* Joins as a source of that name and says hello; false when there are too many. */
bool wpin_talk_open(wpin_talk *talk, wpin_live *live, const wpin_pace *pace, wpin_states *states,
                    const char *name, bool (*say)(void *context, const char *line, size_t length),
                    void *context);
/* Bytes have come: whole lines are carried out. */
void wpin_talk_hear(wpin_talk *talk, const char *bytes, size_t count);
/* Tells what is new, and the state when it is due. */
void wpin_talk_tell(wpin_talk *talk);
/* It is over: the source leaves. */
void wpin_talk_close(wpin_talk *talk);

#endif
