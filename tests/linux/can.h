/* Tests of drives on a CAN interface of the kernel under test. */
#ifndef WPIN_TESTS_LINUX_CAN_H
#define WPIN_TESTS_LINUX_CAN_H

#include <check.h>

void add_can_tests(TCase *tests);

#endif
