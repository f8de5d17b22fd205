/* Numbers in bytes: little-endian, a byte at a time; and the sum that tells whether they are whole.
 */
#ifndef LURK_CORE_BYTES_H
#define LURK_CORE_BYTES_H

#include <stddef.h>
#include <stdint.h>

static inline uint16_t get16(const uint8_t *at)
{
	return (uint16_t)(at[0] | at[1] << 8);
}

static inline uint32_t get32(const uint8_t *at)
{
	return get16(at) | (uint32_t)get16(at + 2) << 16;
}

static inline uint64_t get64(const uint8_t *at)
{
	return get32(at) | (uint64_t)get32(at + 4) << 32;
}

static inline void put16(uint8_t *at, unsigned value)
{
	at[0] = (uint8_t)value;
	at[1] = (uint8_t)(value >> 8);
}

static inline void put32(uint8_t *at, uint32_t value)
{
	put16(at, value & 0xffff);
	put16(at + 2, value >> 16);
}

static inline void put64(uint8_t *at, uint64_t value)
{
	put32(at, (uint32_t)value);
	put32(at + 4, (uint32_t)(value >> 32));
}

/* The CRC-32 of IEEE 802.3. */
static inline uint32_t crc32(const uint8_t *bytes, size_t length)
{
	/* What four bits make of it, for each value of them. */
	static const uint32_t by_four[16] = {0x00000000, 0x1db71064, 0x3b6e20c8, 0x26d930ac,
					     0x76dc4190, 0x6b6b51f4, 0x4db26158, 0x5005713c,
					     0xedb88320, 0xf00f9344, 0xd6d6a3e8, 0xcb61b38c,
					     0x9b64c2b0, 0x86d3d2d4, 0xa00ae278, 0xbdbdf21c};
	uint32_t crc = 0xffffffff;

	for (size_t i = 0; i < length; i++) {
		crc ^= bytes[i];
		crc = crc >> 4 ^ by_four[crc & 0xf];
		crc = crc >> 4 ^ by_four[crc & 0xf];
	}
	return ~crc;
}

#endif
