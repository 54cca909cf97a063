/** @file flash.h
 * Where constants lie. On 8-bit AVR controllers `const` data is copied to RAM unless it is told to
 * stay in flash; everywhere else the two are one, and these words are empty.
 *
 *     static const WPIN_FLASH wpin_line lines[] = {{.pin = 4}, {.pin = 7}};
 *
 * In C compiled with GNU extensions (-std=gnu11) the compiler reads such constants by itself. In
 * C++ the qualifier does not exist: there WPIN_FLASH puts a definition into flash and WPIN_FAR,
 * which the library's own pointers use, is empty; the library itself must then have been compiled
 * as gnu11, as docs/porting.md shows. Strict C11 has no word for flash: program and library, both
 * compiled so, keep all constants in RAM; one of each does not link
 * (wpin_motor_init_constants_in_ram).
 */
#ifndef WINDPIN_FLASH_H
#define WINDPIN_FLASH_H

#if defined(__AVR__) && defined(__cplusplus)
#define WPIN_FLASH __attribute__((__progmem__))
#define WPIN_FAR
#elif defined(__AVR__) && defined(__FLASH) && !defined(__STRICT_ANSI__)
#define WPIN_FLASH __flash /**< Of a definition. */
#define WPIN_FAR   __flash /**< Of what a pointer points to. */
#else
#define WPIN_FLASH
#define WPIN_FAR
#if defined(__AVR__) /* no library with its constants in flash offers this */
#define wpin_motor_init wpin_motor_init_constants_in_ram
#endif
#endif

#endif
