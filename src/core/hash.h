/* FNV-1a, 32 bits: tells texts apart that are nearly always different; no defence against anybody.
 */
#ifndef LURK_CORE_HASH_H
#define LURK_CORE_HASH_H

#include <stddef.h>
#include <stdint.h>

static inline uint32_t lurk_hash(const char *bytes, size_t length)
{
	uint32_t h = 2166136261U;

	for (size_t i = 0; i < length; i++)
		h = (h ^ (uint8_t)bytes[i]) * 16777619U;
	return h;
}

#endif
