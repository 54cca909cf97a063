/** @file eds.h
 * What a maker says of the objects of a drive: an electronic data sheet by CiA 306 (a file in INI
 * form, "EDS"). Host only.
 */
#ifndef WINDPIN_EDS_H
#define WINDPIN_EDS_H

#include "../api.h"
#include "objects.h"

#ifdef __cplusplus
extern "C" {
#endif

/** An object that such a file describes. */
typedef struct wpin_eds_object {
    wpin_known_object known; /**< Its name in lower case, words joined by '-'; no unit. */
    bool can_read, can_write;
    bool has_least, has_most;
    int64_t least, most; /**< What may be written. */
} wpin_eds_object;

typedef struct wpin_eds wpin_eds;

/** Reads such a file; NULL with the place and the reason. */
WPIN_API wpin_eds *wpin_eds_read(const char *path, char *why, size_t size);
WPIN_API void wpin_eds_free(wpin_eds *eds);
/** All its objects that are single values, in the order of their numbers. */
WPIN_API const wpin_eds_object *wpin_eds_objects(const wpin_eds *eds, size_t *count);
/** The one of a number; NULL: it describes none. */
WPIN_API const wpin_eds_object *wpin_eds_of(const wpin_eds *eds, uint16_t index, uint8_t sub);
/** As wpin_object_find, with the names of the file (NULL: none) besides those of CiA 301 and 402.
 */
WPIN_API bool wpin_eds_find(const wpin_eds *eds, const char *text, uint16_t *index, uint8_t *sub,
                            const wpin_known_object **known, char *why, size_t size);
/** Whether a value may be written to an object; false with the reason in words. */
WPIN_API bool wpin_eds_allows(const wpin_eds_object *object, int64_t value, char *why, size_t size);

#ifdef __cplusplus
}
#endif
#endif
