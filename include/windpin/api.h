/** @file api.h
 * Marks what the shared library offers; everything else in it stays hidden. Firmware, which is
 * linked whole, has no use for it.
 */
#ifndef WINDPIN_API_H
#define WINDPIN_API_H

#if defined(WPIN_API)
/* given by whoever compiles it */
#elif defined(__GNUC__) && !defined(__AVR__)
#define WPIN_API __attribute__((visibility("default")))
#else
#define WPIN_API
#endif

#endif
