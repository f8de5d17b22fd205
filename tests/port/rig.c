#include "rig.h"

#include <unistd.h>

static void on_got(void *data, unsigned keyboard, lurk_key key, enum lurk_state state)
{
	struct sim_rig *r = data;

	(void)keyboard;
	if (state != LURK_REPEAT && r->length + 64 < sizeof r->got)
		r->length += (size_t)snprintf(r->got + r->length, sizeof r->got - r->length,
					      "%s%c ", lurk_key_name(key), "-+"[state]);
}

struct sim_rig *sim_rig_make(const char *keyboards)
{
	struct sim_rig *r = calloc(1, sizeof *r);
	struct lurk_sim_watch watch = {.data = r, .got = on_got};
	struct lurk_message why = {""};
	char *text;

	if (asprintf(&text, "desk: 1\nkeyboards:\n%s", keyboards) < 0)
		abort();
	if (!lurk_desk_read(&r->desk, "desk", text, strlen(text), &why))
		fail_msg("%s", why.text);
	make_folder(r->folder);
	r->sim = lurk_sim_new(&r->desk, r->folder, &why);
	if (!r->sim)
		fail_msg("%s", why.text);
	lurk_sim_watch_with(r->sim, &watch);
	r->rig.port = lurk_sim_port(r->sim);
	r->rig.data = r;
	return r;
}

void sim_rig_end(struct sim_rig *r)
{
	char path[128];

	lurk_sim_free(r->sim);
	for (unsigned i = 0; i < LURK_SIM_SLOTS; i++) {
		snprintf(path, sizeof path, "%s/storage/slot-%02u", r->folder, i);
		unlink(path);
	}
	snprintf(path, sizeof path, "%s/storage", r->folder);
	rmdir(path);
	rmdir(r->folder);
	free(r);
}

void sim_rig_key(struct sim_rig *r, unsigned keyboard, const char *label, bool down)
{
	const struct lurk_desk_keyboard *k = &r->desk.keyboards[keyboard];

	lurk_sim_pass(r->sim, lurk_sim_now(r->sim) + 10000);
	for (unsigned i = 0; i < k->key_count; i++) {
		if (!strcmp(k->keys[i].label, label)) {
			lurk_sim_key(r->sim, keyboard, i, down);
			return;
		}
	}
	fail_msg("no key %s", label);
}

const char *sim_rig_got(struct sim_rig *r)
{
	static char got[sizeof r->got];

	assert_true(r->length + 64 < sizeof r->got); /* or some of it is missing */
	memcpy(got, r->got, sizeof got);
	memset(r->got, 0, sizeof r->got);
	r->length = 0;
	return got;
}
