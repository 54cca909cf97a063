/* Hands on a session: what its files share. */
#ifndef WPIN_LIVE_LIVE_H
#define WPIN_LIVE_LIVE_H

#include "windpin/host/live.h"

typedef struct wpin_live_source {
    bool there, program;
    char name[48];
} wpin_live_source;

#define WPIN_LIVE_KEPT 4000 /* requests; up to twice as many before the oldest are forgotten */

/* What was told already. */
typedef struct wpin_live_told {
    unsigned ended; /* steps, in the order they ended */
    size_t notes, burns, events;
    bool runs;           /* the plan */
    wpin_status *faults; /* of each load */
    double *troubled;    /* of each load: since when it does what its last trouble was about */
} wpin_live_told;

/* What was asked for. */
typedef struct wpin_live_asked {
    double at;       /* s */
    wpin_plan *plan; /* an action; NULL: everything was stopped */
    bool taken;      /* not refused */
    bool spoken_of;  /* for the forgetting */
    unsigned number; /* of all so far, from 1; its step has it as its line */
} wpin_live_asked;

struct wpin_live {
    const wpin_rig *rig;
    wpin_session *session;
    double link_timeout, heard_at;
    wpin_live_source sources[WPIN_LIVE_SOURCES];
    int commander;         /* -1: nobody */
    const wpin_plan *plan; /* on offer, or NULL */
    bool confirmed;
    char confirmed_by[48];
    wpin_live_asked *asked; /* all of it; the report speaks of its actions */
    size_t asked_count;
    unsigned asked_ever;                 /* with those that are forgotten */
    unsigned plan_runs;                  /* how often the plan was run */
    wpin_live_news news[WPIN_LIVE_NEWS]; /* number n at n modulo their count */
    size_t news_count;
    wpin_live_told told;
};

/* Keeps what is asked; NULL when out of memory. Of a long session the oldest are forgotten. */
wpin_live_asked *wpin_live_keep(wpin_live *live, wpin_plan *action);
/* The request that a step of the report comes of, NULL: a whole plan; and whether it is that. */
const wpin_live_asked *wpin_live_asked_for(const wpin_live *live, const wpin_step_result *step);
bool wpin_live_is_of(const wpin_live_asked *asked, const wpin_step_result *step);
/* What a step of a first motion that moves came to; and a load that turns though nothing asks for
 * it, -1: none. */
wpin_verdict wpin_live_say_first(const wpin_live *live, const wpin_step_result *step, char *words,
                                 size_t size);
int wpin_live_other_that_turns(const wpin_live *live, int load);
/* Tells everyone. */
void wpin_live_tell(wpin_live *live, wpin_verdict grade, const char *format, ...)
    __attribute__((format(printf, 3, 4)));
/* Tells what came of the requirements of the plan that is over. */
void wpin_live_tell_requirements(wpin_live *live);
/* Collects what the session has to tell since it was last asked. */
void wpin_live_collect(wpin_live *live);
/* Gives the command to a source, or to nobody (-1). */
void wpin_live_give(wpin_live *live, int source);
/* Reads the actions of a line, one for each load it names, into `actions` (room for each load); how
 * many, or 0 with what is wrong. */
size_t wpin_live_read(const wpin_live *live, const char *line, wpin_plan **actions,
                      wpin_live_answer *answer);
/* wpin_live_foresee of actions alone. */
bool wpin_live_foresee_action(const wpin_live *live, const char *line, wpin_live_answer *answer);
/* Ends an answer. */
bool wpin_live_answers(wpin_live_answer *answer, bool ok, unsigned column, const char *format, ...)
    __attribute__((format(printf, 4, 5)));

#endif
