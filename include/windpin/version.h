/** @file version.h
 * The version of Wind Pin, kept in this one place. The build reads it from here.
 */
#ifndef WINDPIN_VERSION_H
#define WINDPIN_VERSION_H

#define WPIN_VERSION_MAJOR 0
#define WPIN_VERSION_MINOR 1
#define WPIN_VERSION_PATCH 0
/** Semantic version as text, the same that `windpin --version` prints. */
#define WPIN_VERSION "0.1.0"

#endif
