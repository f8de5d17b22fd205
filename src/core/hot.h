/* What each key on its way goes through stands together in the program, and all else apart from it:
 * the processor has slept, and each page of it that is asked for costs as much as a hundred
 * instructions. */
#ifndef LURK_CORE_HOT_H
#define LURK_CORE_HOT_H

#define HOT __attribute__((hot))
#define RARE __attribute__((noinline, cold))

#endif
