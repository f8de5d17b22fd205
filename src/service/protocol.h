/* The words of the control protocol that both ends need: docs/control.md. */
#ifndef LURK_SERVICE_PROTOCOL_H
#define LURK_SERVICE_PROTOCOL_H

#include "lurk/session.h"

#define LURK_CONTROL_PATH "/run/lurk/control"

/* For so many seconds one client's long line keeps another's waiting. */
enum { LURK_CONTROL_PATIENCE_S = 10 };

/* The longest that rules are tried, and that what is pressed is withheld. */
enum { LURK_TRY_SECONDS = 3600, LURK_TAKE_SECONDS = 60 };

/* By enum lurk_bus, lurk_wiring, lurk_own, lurk_way, lurk_state. */
static const char *const lurk_bus_words[] = {"none", "ps2", "usb", "bluetooth", "other"};
static const char *const lurk_wiring_words[] = {"hid", "set1", "set2"};
static const char *const lurk_own_words[] = {"nothing", "keys", "no-text", "everything"};
static const char *const lurk_way_words[] = {"plain", "table", "relay"};
static const char *const lurk_state_words[] = {"up", "down", "repeat"};

#endif
