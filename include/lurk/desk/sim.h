/*
 * The simulated computer: a port to a desk of simulated keyboards.
 *
 * A physical press becomes wire bytes, the core's decoders turn them back, and the computer does
 * with them what a Linux kernel does: its scan code table with the same limits, repeats, a relay's
 * virtual nodes, readers with a buffer of 64 events. What its programs get is told through
 * lurk_sim_watch. Storage is files in a folder; it survives a reboot and can lose its power at any
 * byte.
 */
#ifndef LURK_INCLUDE_DESK_SIM_H
#define LURK_INCLUDE_DESK_SIM_H

#include "lurk/declare.h"
#include "lurk/port.h"
#include "lurk/desk/desk.h"
#include "lurk/desk/wire.h"

LURK_BEGIN_C

enum { LURK_SIM_SLOTS = 16, LURK_SIM_SLOT_SIZE = 1 << 19, LURK_READER_EVENTS = 64 };

struct lurk_layout;
struct lurk_sim;

/* What happens, told as it happens. Members may be NULL. */
struct lurk_sim_watch {
	void *data;
	void (*wire)(void *data, unsigned keyboard, const struct lurk_wire_data *wire);
	void (*key)(void *data, unsigned keyboard, const struct lurk_key_event *key); /* decoded */
	void (*got)(void *data, unsigned keyboard, lurk_key key, enum lurk_state state);
	void (*text)(void *data, const char *text);
	void (*note)(void *data, const char *note);
};

/* `desk` must live as long. The folder holds storage/ and the computer's state; it is made where it
 * is not there. */
struct lurk_sim *lurk_sim_new(const struct lurk_desk *desk, const char *folder,
			      struct lurk_message *message);
void lurk_sim_free(struct lurk_sim *sim);
struct lurk_port *lurk_sim_port(struct lurk_sim *sim);
void lurk_sim_watch_with(struct lurk_sim *sim, const struct lurk_sim_watch *watch);

/* A finger on a key, by its place in the desk's list. */
void lurk_sim_key(struct lurk_sim *sim, unsigned keyboard, unsigned key, bool down);

/* Time passes until the next thing that a keyboard or the computer does by itself, at most until
 * `until_us`; false when that is reached and nothing happened. */
bool lurk_sim_pass(struct lurk_sim *sim, uint64_t until_us);
uint64_t lurk_sim_now(const struct lurk_sim *sim);

bool lurk_sim_plugged(const struct lurk_sim *sim, unsigned keyboard);
/* `place` NULL leaves it where it was. */
void lurk_sim_plug(struct lurk_sim *sim, unsigned keyboard, bool radio, const char *place);
void lurk_sim_unplug(struct lurk_sim *sim, unsigned keyboard);

/* Somebody is at the screen of a seat ("" for the main one) from now on; LURK_NOBODY for a login
 * prompt. And the seat that a keyboard belongs to. */
void lurk_sim_sit(struct lurk_sim *sim, const char *seat, uint32_t person);
void lurk_sim_seat(struct lurk_sim *sim, unsigned keyboard, const char *seat);

/* The power goes after so many more bytes are stored; SIZE_MAX for never. */
void lurk_sim_cut_power(struct lurk_sim *sim, size_t after_bytes);
void lurk_sim_power_off(struct lurk_sim *sim);
bool lurk_sim_has_power(const struct lurk_sim *sim);
/* Everything volatile is forgotten; keyboards are found anew. */
void lurk_sim_boot(struct lurk_sim *sim);

/* Remembers clock and plugs in the folder for the next call. */
bool lurk_sim_save(const struct lurk_sim *sim, struct lurk_message *message);

/* The folder that it was made with. */
const char *lurk_sim_folder(const struct lurk_sim *sim);

/* Whether anything is down for the computer's programs. */
bool lurk_sim_anything_down(const struct lurk_sim *sim);
/* What happens in the middle of taking a keyboard, of releasing what was held on it, and of giving
 * it back: between any two steps that a kernel takes for that. NULL for nothing. */
void lurk_sim_meanwhile(struct lurk_sim *sim, void (*happens)(void *data), void *data);
/* Another process opens the port: it is told of all keyboards, and nothing is taken. */
void lurk_sim_plugged_anew(struct lurk_sim *sim);
/* The layout in which text arrives; it is the simulation's. NULL where the system's files of it
 * turn out to be broken: then no text arrives. */
struct lurk_layout *lurk_sim_layout(struct lurk_sim *sim);

LURK_END_C

#endif
