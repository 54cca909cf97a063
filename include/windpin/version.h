/** @file version.h
 * The version of Wind Pin, kept in this one place. The build reads it from here.
 */
#ifndef WINDPIN_VERSION_H
#define WINDPIN_VERSION_H

#include "api.h"

#ifdef __cplusplus
extern "C" {
#endif

#define WPIN_VERSION_MAJOR 0
#define WPIN_VERSION_MINOR 2
#define WPIN_VERSION_PATCH 0
/** Semantic version as text, the same that `windpin --version` prints. */
#define WPIN_VERSION "0.2.0"
/** The same as one number that grows, to compare with. */
#define WPIN_VERSION_NUMBER                                                                        \
    (WPIN_VERSION_MAJOR * 10000L + WPIN_VERSION_MINOR * 100L + WPIN_VERSION_PATCH)

/** The version of the library that is linked, as text: of a shared one it may be another than that
 * of the headers. Any context. */
WPIN_API const char *wpin_version(void);

#ifdef __cplusplus
}
#endif
#endif
