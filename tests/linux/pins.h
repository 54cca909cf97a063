/* Tests in the kernel under test, by what they are about. */
#ifndef WPIN_TESTS_LINUX_PINS_H
#define WPIN_TESTS_LINUX_PINS_H

#include <check.h>

void add_runs_tests(TCase *tests);
void add_ends_tests(TCase *tests);
void add_kinds_tests(TCase *tests);
void add_port_tests(TCase *tests);
/* Drives on a CAN interface. */
void add_can_tests(TCase *tests);

#endif
