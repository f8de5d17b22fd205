#include "lurk/desk/desk.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <time.h>

#include "lurk/text/words.h"

static const char *const top_fields[] = {"desk", "name", "clock", "layout", "keyboards", NULL};
static const char *const keyboard_fields[] = {
	"calls-itself", "wired", "product", "serial", "place",          "built-in", "form",
	"keys",         "odd",   "radio",   "away",   "declares-twice", NULL};
static const char *const radio_fields[] = {"product", "place", NULL};
static const char *const key_fields[] = {"sends", "press-only", "presses-itself", NULL};

struct reader {
	struct lurk_yaml yaml;
	struct lurk_desk *desk;
	struct lurk_message *message;
};

static bool say(struct reader *r, const struct lurk_node *node, const char *text)
{
	return lurk_yaml_say(&r->yaml, node, r->message, "%s", text);
}

bool lurk_desk_time(const char *text, uint64_t *time_us)
{
	char *end;
	unsigned long value = strtoul(text, &end, 10);

	if (end == text || value > 1000000 || *text == '-')
		return false;
	*time_us = value * (!strcmp(end, "ms") ? 1000U : 1000000U);
	return !strcmp(end, "ms") || !strcmp(end, "s");
}

static bool read_text(struct reader *r, const struct lurk_node *map, const char *field, char *out,
		      size_t size)
{
	const struct lurk_node *node = lurk_node_get(map, field);

	if (!node)
		return true;
	if (node->kind != LURK_NODE_SCALAR || strlen(node->text) >= size)
		return lurk_yaml_say(&r->yaml, node, r->message,
				     "`%s:` takes a text of up to %zu characters", field, size - 1);
	snprintf(out, size, "%s", node->text);
	lurk_make_harmless(out);
	return true;
}

static bool read_flag(struct reader *r, const struct lurk_node *map, const char *field, bool *flag)
{
	const struct lurk_node *node = lurk_node_get(map, field);

	return !node || lurk_yaml_bool(&r->yaml, node, flag, r->message);
}

static bool read_product(struct reader *r, const struct lurk_node *map,
			 struct lurk_identity *identity)
{
	const struct lurk_node *node = lurk_node_get(map, "product");
	unsigned vendor, product;
	int used = 0;

	if (!node)
		return true;
	if (sscanf(node->text, "%4x:%4x%n", &vendor, &product, &used) != 2 || node->text[used])
		return say(r, node, "`product:` is a vendor and a product such as \"fade:0001\"");
	identity->vendor = (uint16_t)vendor;
	identity->product = (uint16_t)product;
	return true;
}

static lurk_scan scan_as_wired(enum lurk_desk_wired wired, lurk_key key)
{
	uint8_t kind = wired == LURK_WIRED_USB    ? LURK_SCAN_HID
		       : wired == LURK_WIRED_SET1 ? LURK_SCAN_SET1
						  : LURK_SCAN_SET2;
	lurk_scan scan = lurk_key_scan(key, 0);

	for (size_t i = 0; scan.kind && scan.kind != kind; i++)
		scan = lurk_key_scan(key, i);
	return scan;
}

static struct lurk_desk_key *key_labelled(struct lurk_desk_keyboard *keyboard, const char *label)
{
	for (unsigned i = 0; i < keyboard->key_count; i++) {
		if (!strcasecmp(keyboard->keys[i].label, label))
			return &keyboard->keys[i];
	}
	return NULL;
}

static void add_key(struct lurk_desk_keyboard *keyboard, lurk_key key)
{
	struct lurk_desk_key *k = &keyboard->keys[keyboard->key_count];

	if (keyboard->key_count == LURK_DESK_KEYS || key_labelled(keyboard, lurk_key_name(key)))
		return;
	snprintf(k->label, sizeof k->label, "%s", lurk_key_name(key));
	k->scan = scan_as_wired(keyboard->wired, key);
	keyboard->key_count++;
}

static bool add_form(struct reader *r, const struct lurk_node *node,
		     struct lurk_desk_keyboard *keyboard)
{
	struct lurk_place places[LURK_PLACES];
	unsigned count;

	keyboard->form = LURK_FORM_FULL;
	if (node && !strcmp(node->text, "none"))
		return true;
	if (node && !lurk_form_read(node->text, &keyboard->form))
		return say(r, node, "`form:` is full, no-keypad, compact, pad or none");
	count = lurk_form_places(keyboard->form, LURK_ISO, places);
	for (unsigned i = 0; i < count; i++)
		add_key(keyboard, places[i].key);
	return true;
}

static bool read_keys(struct reader *r, const struct lurk_node *list,
		      struct lurk_desk_keyboard *keyboard)
{
	struct lurk_message why;
	struct lurk_press press;

	if (list && list->kind != LURK_NODE_LIST)
		return say(r, list, "`keys:` takes a list of keys");
	for (const struct lurk_node *node = list ? list->first : NULL; node; node = node->next) {
		if (!lurk_words_press(node->text, NULL, &press, &why))
			return say(r, node, why.text);
		if (press.on.kind != LURK_TARGET_KEY)
			return say(r, node, "a single key is expected");
		add_key(keyboard, press.on.key);
	}
	return true;
}

static bool read_odd_key(struct reader *r, const struct lurk_node *node,
			 struct lurk_desk_keyboard *keyboard)
{
	const struct lurk_node *sends = lurk_node_get(node, "sends"),
			       *itself = lurk_node_get(node, "presses-itself");
	struct lurk_desk_key *key = key_labelled(keyboard, node->key->text);

	if (!lurk_yaml_fields(&r->yaml, node, "an odd key", key_fields, r->message))
		return false;
	if (!key) {
		if (keyboard->key_count == LURK_DESK_KEYS || !sends)
			return say(r, node->key,
				   "the keyboard has no such key; say what it `sends`");
		key = &keyboard->keys[keyboard->key_count++];
		snprintf(key->label, sizeof key->label, "%s", node->key->text);
	}
	if (sends) {
		lurk_scan scan = {0, LURK_SCAN_NONE};
		uint8_t wanted = keyboard->wired == LURK_WIRED_USB    ? LURK_SCAN_HID
				 : keyboard->wired == LURK_WIRED_SET1 ? LURK_SCAN_SET1
								      : LURK_SCAN_SET2;

		if (strcmp(sends->text, "nothing") &&
		    (lurk_scan_read(sends->text, strlen(sends->text), &scan) != LURK_OK ||
		     scan.kind != wanted ||
		     (wanted == LURK_SCAN_HID && scan.code >> 16 != 0x07 &&
		      scan.code >> 16 != 0x0c)))
			return say(r, sends,
				   wanted == LURK_SCAN_HID ? "a USB key sends a usage such as "
							     "hid:07:a5 or hid:0c:e9, or nothing"
							   : "a PS/2 key sends a scan code of its "
							     "set, such as set2:58, or nothing");
		key->scan = scan;
	}
	if (!read_flag(r, node, "press-only", &key->press_only))
		return false;
	if (itself && !lurk_desk_time(itself->text, &key->itself_every_us))
		return say(r, itself, "a time such as 40s is expected");
	return true;
}

static bool read_wired(struct reader *r, const struct lurk_node *node,
		       struct lurk_desk_keyboard *keyboard)
{
	static const char *const names[] = {"usb", "set1", "set2", "translated"};
	static const uint8_t wirings[] = {LURK_WIRING_HID, LURK_WIRING_SET1, LURK_WIRING_SET2,
					  LURK_WIRING_SET1};
	const char *name = node ? node->text : "usb";

	for (unsigned i = 0; i < 4; i++) {
		if (strcmp(name, names[i]))
			continue;
		keyboard->wired = (enum lurk_desk_wired)i;
		keyboard->identity.bus = i ? LURK_BUS_PS2 : LURK_BUS_USB;
		keyboard->identity.wiring = wirings[i];
		return true;
	}
	return say(r, node, "`wired:` is usb, set1, set2 or translated");
}

static bool read_radio(struct reader *r, const struct lurk_node *node,
		       struct lurk_desk_keyboard *keyboard)
{
	if (!node)
		return true;
	if (!lurk_yaml_fields(&r->yaml, node, "`radio:`", radio_fields, r->message))
		return false;
	keyboard->radio = keyboard->identity;
	keyboard->radio.bus = LURK_BUS_BLUETOOTH;
	keyboard->has_radio = true;
	snprintf(keyboard->radio.place, sizeof keyboard->radio.place, "radio");
	return read_product(r, node, &keyboard->radio) &&
	       read_text(r, node, "place", keyboard->radio.place, sizeof keyboard->radio.place);
}

static bool read_keyboard(struct reader *r, const struct lurk_node *node)
{
	struct lurk_desk_keyboard *k = &r->desk->keyboards[r->desk->keyboard_count];
	struct lurk_identity *id = &k->identity;
	const struct lurk_node *odd = lurk_node_get(node, "odd");

	if (!lurk_yaml_fields(&r->yaml, node, "a keyboard on the desk", keyboard_fields,
			      r->message))
		return false;
	if (r->desk->keyboard_count == LURK_DESK_KEYBOARDS ||
	    strlen(node->key->text) >= sizeof k->name)
		return lurk_yaml_say(
			&r->yaml, node->key, r->message,
			"up to %d keyboards stand on a desk, with names of up to %d characters",
			LURK_DESK_KEYBOARDS, LURK_LABEL - 1);
	snprintf(k->name, sizeof k->name, "%s", node->key->text);
	if (!read_wired(r, lurk_node_get(node, "wired"), k) || !read_product(r, node, id) ||
	    !read_text(r, node, "calls-itself", id->name, sizeof id->name) ||
	    !read_text(r, node, "serial", id->serial, sizeof id->serial) ||
	    !read_text(r, node, "place", id->place, sizeof id->place) ||
	    !read_flag(r, node, "built-in", &id->built_in) ||
	    !read_flag(r, node, "away", &k->away) ||
	    !read_flag(r, node, "declares-twice", &k->twice) ||
	    !add_form(r, lurk_node_get(node, "form"), k) ||
	    !read_keys(r, lurk_node_get(node, "keys"), k) ||
	    !read_radio(r, lurk_node_get(node, "radio"), k))
		return false;
	if (odd && odd->kind != LURK_NODE_MAP)
		return say(r, odd, "`odd:` takes a key a line");
	for (const struct lurk_node *key = odd ? odd->first : NULL; key; key = key->next) {
		if (!read_odd_key(r, key, k))
			return false;
	}
	r->desk->keyboard_count++;
	return true;
}

static bool read_clock(struct reader *r, const struct lurk_node *node)
{
	struct tm tm = {0};
	const char *end = node ? strptime(node->text, "%Y-%m-%d %H:%M:%S", &tm) : NULL;

	if (node && (!end || *end))
		return say(r, node, "`clock:` is a time such as 2031-05-04 05:30:00");
	r->desk->clock_us = (uint64_t)(node ? timegm(&tm) : 0) * 1000000U;
	return true;
}

static bool read_desk(struct reader *r)
{
	const struct lurk_node *root = r->yaml.root, *version, *keyboards;

	if (!root)
		return lurk_say(r->message, "%s:1:1: no desk in it; it begins with `desk: 1`",
				r->yaml.path);
	if (!lurk_yaml_fields(&r->yaml, root, "a desk", top_fields, r->message))
		return false;
	version = lurk_node_get(root, "desk");
	keyboards = lurk_node_get(root, "keyboards");
	if (!version || strcmp(version->text, "1"))
		return say(r, version ? version : root, "a desk begins with `desk: 1`");
	if (!keyboards || keyboards->kind != LURK_NODE_MAP)
		return say(r, keyboards ? keyboards : root, "a desk has `keyboards:`, a name each");
	snprintf(r->desk->layout, sizeof r->desk->layout, "us");
	if (!read_text(r, root, "name", r->desk->name, sizeof r->desk->name) ||
	    !read_text(r, root, "layout", r->desk->layout, sizeof r->desk->layout) ||
	    !read_clock(r, lurk_node_get(root, "clock")))
		return false;
	for (const struct lurk_node *node = keyboards->first; node; node = node->next) {
		if (!read_keyboard(r, node))
			return false;
	}
	return true;
}

bool lurk_desk_read(struct lurk_desk *desk, const char *path, char *bytes, size_t length,
		    struct lurk_message *message)
{
	struct reader r = {.desk = desk, .message = message};
	bool fine;

	memset(desk, 0, sizeof *desk);
	fine = lurk_yaml_parse(&r.yaml, path, bytes, length, message) && read_desk(&r);
	lurk_yaml_free(&r.yaml);
	return fine;
}
