/* Declarations of C, for compilers of C++ as well. */
#ifndef LURK_INCLUDE_DECLARE_H
#define LURK_INCLUDE_DECLARE_H

#ifdef __cplusplus
#define LURK_BEGIN_C extern "C" {
#define LURK_END_C }
#else
#define LURK_BEGIN_C
#define LURK_END_C
#endif

#endif
