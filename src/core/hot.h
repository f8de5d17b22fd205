/* What each key on its way goes through stands together in the program, and all else apart from it:
 * a processor that has slept finds none of its pages, and asks for each anew. */
#ifndef LURK_CORE_HOT_H
#define LURK_CORE_HOT_H

#define HOT __attribute__((hot))
#define RARE __attribute__((noinline, cold))

#endif
