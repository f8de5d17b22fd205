/*
 * Desks: which keyboards stand on a simulated desk, how they are wired and how their keys are odd.
 * Read from a YAML file; docs/desk.md describes it.
 */
#ifndef LURK_INCLUDE_DESK_DESK_H
#define LURK_INCLUDE_DESK_DESK_H

#include "lurk/declare.h"
#include "lurk/form/form.h"
#include "lurk/text/yaml.h"

LURK_BEGIN_C

enum lurk_desk_wired { LURK_WIRED_USB, LURK_WIRED_SET1, LURK_WIRED_SET2, LURK_WIRED_TRANSLATED };

enum { LURK_LABEL = 33, LURK_DESK_KEYS = 160, LURK_DESK_KEYBOARDS = 16 };

/* A physical key: what is printed on it, and what it sends. */
struct lurk_desk_key {
	char label[LURK_LABEL];
	lurk_scan scan; /* kind LURK_SCAN_NONE: the keyboard keeps it to itself */
	bool press_only;
	uint64_t itself_every_us; /* 0, or how often it presses itself */
};

struct lurk_desk_keyboard {
	char name[LURK_LABEL];
	enum lurk_desk_wired wired;
	struct lurk_identity identity, radio;
	enum lurk_form form;
	bool has_radio, away; /* not plugged in at the start */
	bool twice;           /* its interface declares every usage twice */
	struct lurk_desk_key keys[LURK_DESK_KEYS];
	unsigned key_count;
};

struct lurk_desk {
	char name[128], layout[64];
	uint64_t clock_us; /* microseconds since 1970 */
	struct lurk_desk_keyboard keyboards[LURK_DESK_KEYBOARDS];
	unsigned keyboard_count;
};

/* Reads a desk from bytes, which are freed. */
bool lurk_desk_read(struct lurk_desk *desk, const char *path, char *bytes, size_t length,
		    struct lurk_message *message);

/* "40s", "500ms", "2s": microseconds. */
bool lurk_desk_time(const char *text, uint64_t *time_us);

LURK_END_C

#endif
