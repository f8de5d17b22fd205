/* What a caller must have ensured, said where it is relied upon. Wherever tests, fuzzers and the
 * soak run, a broken promise stops at once; a release has nothing of it. */
#ifndef LURK_CORE_ASSERT_H
#define LURK_CORE_ASSERT_H

#ifdef LURK_ASSERTIONS
#define lurk_assert(holds) ((holds) ? (void)0 : __builtin_trap())
#else
#define lurk_assert(holds) ((void)sizeof((holds) ? 1 : 0))
#endif

#endif
