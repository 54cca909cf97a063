/** @file live.h
 * Hands on a session: people and programs that ask, each from a source of its own (a terminal, a
 * page, lines, a bus). One source at a time has the command, all may watch, and anyone may stop.
 * What the commander does not say again within the link time-out ends on its ramp. Host only; no
 * input or output of its own. docs/live.md has the requests.
 */
#ifndef WINDPIN_LIVE_H
#define WINDPIN_LIVE_H

#include "../api.h"
#include "session.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Sources at once; characters of a request; news that are kept; characters of a news. */
#define WPIN_LIVE_SOURCES 64
#define WPIN_LIVE_LINE    240
#define WPIN_LIVE_NEWS    256
#define WPIN_LIVE_WORDS   640

/** Silence that ends motions, s: usual, least, most. */
#define WPIN_LINK_USUAL 0.25
#define WPIN_LINK_LEAST 0.05
#define WPIN_LINK_MOST  600.0

typedef struct wpin_live wpin_live;

/** What came of a request. */
typedef struct wpin_live_answer {
    bool ok;
    unsigned column; /**< Where the request is wrong, from 1; 0: as a whole. */
    bool large;      /**< Of wpin_live_foresee: worth asking twice. */
    char words[WPIN_LIVE_WORDS];
} wpin_live_answer;

/** Something worth telling everyone. */
typedef struct wpin_live_news {
    double at; /**< s since the session began. */
    wpin_verdict grade;
    char words[WPIN_LIVE_WORDS];
} wpin_live_news;

/** Opens it on a session without a plan. Everything else here is called between its steps. Both
 * must outlive it. NULL: the session has a plan, the time-out is out of range, or out of memory. */
WPIN_API wpin_live *wpin_live_open(const wpin_rig *rig, wpin_session *session, double link_timeout);
/** Frees it, and the actions it asked for: when the session is closed and its report freed. */
WPIN_API void wpin_live_free(wpin_live *live);

/** A plan that may be run: by the requests 'plan run' and 'plan stop'. It must outlive the report.
 */
WPIN_API void wpin_live_offer(wpin_live *live, const wpin_plan *plan);
/** It, or NULL. */
WPIN_API const wpin_plan *wpin_live_plan(const wpin_live *live);

/** A source comes: it watches. Its number, or -1 when there are too many. */
WPIN_API int wpin_live_join(wpin_live *live, const char *name);
/** It is a program, which can't go through the power-up checklist: it may confirm that only where
 * it was confirmed before it came, by somebody else (wpin_live_confirm). */
WPIN_API void wpin_live_is_program(wpin_live *live, int source);
/** It goes. Had it the command, every load that moves ramps to rest. */
WPIN_API void wpin_live_leave(wpin_live *live, int source);

/** Carries out one line. Refused, nothing changes; the words say why. The commander is heard by
 * it, refused or not. Returns answer->ok. */
WPIN_API bool wpin_live_ask(wpin_live *live, int source, const char *line,
                            wpin_live_answer *answer);
/** A rig may call a part as a request is called, and who has the command means the part by what can
 * be done with it: 'stop press' is about the button 'stop'. Whether that line is. */
WPIN_API bool wpin_live_is_for_a_part(const wpin_live *live, int source, const char *line);
/** Whether that line is a stop when that source asks it: one that is never too late. */
WPIN_API bool wpin_live_stops(const wpin_live *live, int source, const char *line);
/** The commander is still there, as by the request 'alive'; of others nothing. */
WPIN_API void wpin_live_heard(wpin_live *live, int source);
/** Whoever has the command loses it, and every load that moves ramps to rest: time was lost. */
WPIN_API void wpin_live_lost(wpin_live *live, const char *why);

/** Carries the session on, and collects what is new. False once it is over. */
WPIN_API bool wpin_live_until(wpin_live *live, double seconds);

/** Who has the command: a source, -1 nobody; its name. */
WPIN_API int wpin_live_commander(const wpin_live *live);
WPIN_API const char *wpin_live_name(const wpin_live *live, int source);
WPIN_API double wpin_live_link_timeout(const wpin_live *live);
/** Seconds until silence ends motions; 0: it has, or nobody commands. */
WPIN_API double wpin_live_link_left(const wpin_live *live);

/** The power-up checklist is confirmed for this session, by whom: loads may be armed. */
WPIN_API void wpin_live_confirm(wpin_live *live, const char *by);
WPIN_API bool wpin_live_is_confirmed(const wpin_live *live);

/** How many news there have been; one of them by its number from 0, NULL when it is no longer kept.
 */
WPIN_API size_t wpin_live_news_count(const wpin_live *live);
WPIN_API const wpin_live_news *wpin_live_news_at(const wpin_live *live, size_t number);

/** What is measured to be wrong with what a load does, with likely causes. False: nothing is, as
 * far as it is measured. */
WPIN_API bool wpin_live_trouble(const wpin_live *live, size_t load, char *words, size_t size);

/** What a line would come to, in words, without doing it: how far, how long. Large is more than a
 * turn of the output, or a set-point more than half of full away from the present one. Of other
 * requests what they do. False with what is wrong with it. */
WPIN_API bool wpin_live_foresee(const wpin_live *live, const char *line, wpin_live_answer *answer);

/** How a load is best asked by hand: from -most (where it has both ways) to most. */
typedef struct wpin_live_asks {
    const char *unit; /**< "%", "rpm", "deg"; "": on or off. */
    double most;      /**< In it; of places the most by one request. */
    double step;      /**< A round share of that. */
    bool both;        /**< It goes both ways. */
    double least;     /**< Between it and 0, either way, nothing can be asked; 0: anything. */
} wpin_live_asks;
/** That, of load number `load`. */
WPIN_API wpin_live_asks wpin_live_unit(const wpin_rig *rig, size_t load);

/** Writes what was asked as a plan that does it again, from the report of the session: a track for
 * each load, and one for what hands did. Where a request came before the one before had ended, a
 * plan waits for that end; a comment says so. False: it could not be written (errno). */
WPIN_API bool wpin_live_write_plan(const wpin_live *live, const wpin_report *report,
                                   const char *path);

/** What is known: the session and its rig. */
WPIN_API wpin_session *wpin_live_session(const wpin_live *live);
WPIN_API const wpin_rig *wpin_live_rig(const wpin_live *live);

#ifdef __cplusplus
}
#endif
#endif
