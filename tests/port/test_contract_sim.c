/* The contract, against the simulated desk. */
#include "rig.h"

static void press(struct contract_rig *rig, lurk_key key, bool down)
{
	sim_rig_key(rig->data, 0, lurk_key_name(key), down);
}

static void plug(struct contract_rig *rig, bool in)
{
	struct sim_rig *r = rig->data;

	if (in)
		lurk_sim_plug(r->sim, 0, false, NULL);
	else
		lurk_sim_unplug(r->sim, 0);
}

/* Keys that a hand hammers, one more or less at each gap that the port leaves. */
static void hit(void *data)
{
	static const char *const keys[] = {"KeyA", "ShiftLeft", "KeyB", "ControlLeft", "Enter"};
	static bool down[sizeof keys / sizeof *keys];
	static uint64_t seed = 1;
	unsigned key = random_next(&seed) % (sizeof keys / sizeof *keys);

	if (!data) {
		memset(down, 0, sizeof down);
		return;
	}
	down[key] = !down[key];
	sim_rig_key(data, 0, keys[key], down[key]);
}

static void hammer(struct contract_rig *rig, bool on)
{
	static const char *const keys[] = {"KeyA", "ShiftLeft", "KeyB", "ControlLeft", "Enter"};
	struct sim_rig *r = rig->data;

	lurk_sim_meanwhile(r->sim, on ? hit : NULL, r);
	for (unsigned i = 0; !on && i < sizeof keys / sizeof *keys; i++)
		sim_rig_key(r, 0, keys[i], false);
	hit(on ? r : NULL);
}

static void open_new(struct contract_rig *rig)
{
	struct lurk_sim *sim = ((struct sim_rig *)rig->data)->sim;

	lurk_sim_pass(sim, lurk_sim_now(sim) + 210000);
}

static bool got(struct contract_rig *rig, char *out, size_t size)
{
	snprintf(out, size, "%s", sim_rig_got(rig->data));
	return true;
}

static void cut_power(struct contract_rig *rig, size_t after_bytes)
{
	lurk_sim_cut_power(((struct sim_rig *)rig->data)->sim, after_bytes);
}

static void restart(struct contract_rig *rig)
{
	lurk_sim_boot(((struct sim_rig *)rig->data)->sim);
}

static struct contract_rig *make(void)
{
	struct sim_rig *r =
		sim_rig_make("  wagtail: {wired: usb, product: \"fade:0001\", place: usb-1}\n");

	r->rig.press = press;
	r->rig.plug = plug;
	r->rig.hammer = hammer;
	r->rig.open = open_new;
	r->rig.got = got;
	r->rig.cut_power = cut_power;
	r->rig.restart = restart;
	return &r->rig;
}

static void end(struct contract_rig *rig)
{
	sim_rig_end(rig->data);
}

int main(void)
{
	return contract_run("contract, simulated desk", make, end);
}
