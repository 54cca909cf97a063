/* Which version is linked. */
#include "windpin/version.h"

const char *wpin_version(void) {
    return WPIN_VERSION;
}
