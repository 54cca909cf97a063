/* Anything at all as a trace: read, and averages taken of it. */
#include "input.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/trace.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    char why[300] = "";
    const char *path = fuzz_path(data, size);
    wpin_trace *trace = path == NULL ? NULL : wpin_trace_read(path, why, sizeof why);
    if (trace != NULL) {
        double end = wpin_trace_end(trace);
        int column = wpin_trace_column(trace, "pump", "duty_percent");
        (void)wpin_trace_average(trace, column, 0, end);
        (void)wpin_trace_average(trace, 1, end / 2, end);
        if (!isfinite(end) || wpin_trace_mark(trace) == NULL) {
            abort();
        }
    } else if (path != NULL && strlen(why) == 0) {
        abort(); /* refused, and nobody is told why */
    }
    wpin_trace_free(trace);
    return 0;
}
