/* Clients with different rights, in every order of requests, while keys are pressed; against a
 * plain model of who may do what, what is in force, and whose it is: two of them sit at the screen
 * by turns, and have rules of their own meanwhile. And twice at once, in two
 * worlds that differ only in which keys are pressed: whoever may not watch must not see a
 * difference, nor may the log.
 *
 * LURK_SOAK=N does N times as much. */
#include "../core/rules.h"
#include "../port/refusing.h"
#include "../port/rig.h"

#include "service/news.h"
#include "service/rpc.h"
#include "text/hex.h"

enum { IMAGE = 4096, KEYMAPS = 1 << 16, KEYBOARDS = 2, CALLERS = 7, SETS = 6, STEPS = 100000 };

static const char *const keys[] = {"KeyA", "KeyB", "KeyE", "CapsLock", "F2", "F9", "ShiftLeft"};

/* The first profile's word is "test". Rules by which single keys switch, light and lock. */
static const char *const sets[SETS] = {
	"KeyA<>KeyB",
	"F9>toggle; KeyA>KeyB",
	"KeyE>=dusk; |dusk/test; KeyA>KeyX; Shift+KeyB>\"%1#%2@\"; KeyE>=previous",
	"relay KeyE>=dusk; |dusk/test; KeyA<>KeyB; F9>toggle; F2>=previous",
	"KeyE>CapsLock; CapsLock>nothing",
	"F2>=dusk; F9>toggle; |dusk; CapsLock>KeyA; F2>=test",
};
static const bool has_game[SETS] = {false, false, true, true, false, true};

struct world {
	struct sim_rig *rig;
	SESSION_FIELDS(KEYBOARDS, IMAGE, KEYMAPS)
	struct lurk_rpc rpc;
	struct lurk_caller callers[CALLERS];
	uint64_t presses; /* a seed */
	bool down[KEYBOARDS][COUNT(keys)];
	struct lurk_news news;
	char log[4096];
};

enum { ROOT, MEMBER, OTHER_MEMBER, MAY_ASK, STRANGER, ONE, OTHER };
static const struct lurk_rights rights_of[CALLERS] = {
	{.status = true, .change = true, .off = true, .watch = true},
	{.status = true, .change = true, .off = true},
	{.status = true, .change = true, .off = true},
	{.status = true},
};
static const struct lurk_rights at_screen = {
	.status = true, .off = true, .watch = true, .own = true};

/* Whose rules: the computer's, or those of ONE and OTHER. */
enum { COMPUTER, OWNERS = 3 };

/* Rules in force, as far as they were asked for. */
struct part {
	unsigned set; /* 1 + its index, 0 for none */
	bool dusk;
	uint64_t sequence;
};

/* Where they sit; and all other seats, which are nobody's but root's and the group's. */
enum { HERE, ELSEWHERE, PLACES };

struct state {
	bool off[PLACES], trying;
	unsigned off_by[PLACES], tried; /* a caller; an owner */
	struct part parts[OWNERS];      /* a person's go on while another is at the screen */
};

struct model {
	struct state now, before;
	unsigned sits;  /* a caller, or STRANGER for nobody */
	unsigned tries; /* the caller who began what is tried */
	uint64_t until_us, last[OWNERS];
	uint64_t takes_us[CALLERS];
	unsigned layout, tells; /* which is active, and the caller who says so */
};

struct test {
	struct world worlds[2];
	struct model model;
	uint64_t seed, clock_us;
	char digits[SETS][2 * TEST_IMAGE + 1];
	char asked[2 * TEST_IMAGE + 400], answers[2][16384];
	unsigned long requests, refusals, told;
};

static unsigned any(struct test *t, unsigned n)
{
	return random_next(&t->seed) % n;
}

static unsigned owner_of(unsigned caller)
{
	return caller == ONE ? 1 : caller == OTHER ? 2 : COMPUTER;
}

/* The owner whose rules are on top now: a person at the screen. */
static unsigned sitting(const struct test *t)
{
	return owner_of(t->model.sits);
}

static const struct lurk_rights *rights(const struct test *t, unsigned caller)
{
	return owner_of(caller) && t->model.sits == caller ? &at_screen : &rights_of[caller];
}

/* ---- Two worlds -------------------------------------------------------------------------------
 */

static void log_line(void *data, const char *line)
{
	struct world *w = data;

	snprintf(w->log + strlen(w->log), sizeof w->log - strlen(w->log), "%s\n", line);
}

static void settle(struct world *w)
{
	lurk_session_run(&w->session);
	lurk_news_tell(&w->news, &w->session);
}

static void pass(struct world *w, uint64_t until_us)
{
	do
		settle(w);
	while (lurk_sim_pass(w->rig->sim, until_us));
	settle(w);
}

static void begin(struct world *w, uint64_t seed)
{
	w->rig = sim_rig_make("  wagtail: {wired: usb, product: \"fade:0001\", place: usb-1}\n"
			      "  heron: {wired: translated, built-in: true}\n");
	w->memory = SESSION_MEMORY(w);
	w->presses = seed;
	w->news = (struct lurk_news){.say = log_line, .data = w};
	w->rpc = (struct lurk_rpc){&w->session, log_line, w, NULL, false};
	assert_int_equal(lurk_session_start(&w->session, &w->memory, w->rig->rig.port), LURK_OK);
	lurk_session_allow(&w->session, LURK_OWN_EVERYTHING);
	settle(w);
	for (unsigned c = 0; c < CALLERS; c++) {
		w->callers[c] = (struct lurk_caller){.uid = c, .rights = rights_of[c]};
		lurk_rpc_come(&w->rpc, &w->callers[c]);
	}
}

/* Any key here, another there. The off chord is no single key, so it is never whole. */
static void press(struct world *w)
{
	const unsigned k = random_next(&w->presses) % KEYBOARDS;
	const unsigned key = random_next(&w->presses) % COUNT(keys);

	w->down[k][key] = !w->down[k][key];
	sim_rig_key(w->rig, k, keys[key], w->down[k][key]);
	settle(w);
}

/* ---- Requests ---------------------------------------------------------------------------------
 */

enum {
	STATUS,
	GET_IMAGE,
	APPLY,
	TRY,
	KEEP,
	END_TRY,
	SWITCH,
	USE,
	WATCH,
	UNWATCH,
	LAYOUT,
	FOLLOW,
	METHODS
};
static const char *const names[METHODS] = {"status", "image",   "apply",  "try",
					   "keep",   "end_try", "switch", "use",
					   "watch",  "unwatch", "layout", "follow"};

/* Nothing, for not known. */
static const char *const layouts[] = {"", "Greek", "Welsh"};

static bool may(const struct lurk_rights *r, unsigned method)
{
	static const unsigned needs[METHODS] = {0, 0, 1, 1, 1, 2, 2, 2, 3, 3, 2, 0};
	const bool has[] = {r->status, r->change || r->own, r->off, r->watch};

	return has[needs[method]];
}

/* Whose rules a request names: those of whoever asks, or not. */
enum { WHOSE_LEFT, WHOSE_OWN, WHOSE_COMPUTER };
static unsigned whose(unsigned with)
{
	return with / 100 % 5 == 0 ? WHOSE_OWN : with / 100 % 5 == 1 ? WHOSE_COMPUTER : WHOSE_LEFT;
}

/* What a request says; `with` is what it is about. */
static void write_request(struct test *t, unsigned method, unsigned with)
{
	static const char *const words[] = {"", ",\"whose\":\"own\"", ",\"whose\":\"computer\""};
	char params[2 * TEST_IMAGE + 200] = "";
	const char *named = words[whose(with)];

	switch (method) {
	case STATUS:
	case GET_IMAGE:
		snprintf(params, sizeof params, "%s", *named ? named + 1 : "");
		break;
	case APPLY:
		snprintf(params, sizeof params, "\"image\":\"%s\"%s", t->digits[with % SETS],
			 named);
		break;
	case TRY:
		snprintf(params, sizeof params, "\"image\":\"%s\",\"seconds\":%u%s",
			 t->digits[with % SETS], 1 + with / SETS % 5, named);
		break;
	case SWITCH:
		snprintf(params, sizeof params, "\"off\":%s", with % 2 ? "true" : "false");
		break;
	case USE:
		snprintf(params, sizeof params, "\"profile\":\"%s\"%s", with % 2 ? "dusk" : "test",
			 named);
		break;
	case LAYOUT:
		snprintf(params, sizeof params, "\"active\":\"%s\"",
			 layouts[with % COUNT(layouts)]);
		break;
	case WATCH:
		if (with % 2)
			snprintf(params, sizeof params, "\"take\":true,\"seconds\":%u",
				 1 + with / 2 % 5);
		break;
	default:
		break;
	}
	snprintf(t->asked, sizeof t->asked,
		 "{\"jsonrpc\":\"2.0\",\"id\":1,\"method\":\"%s\",\"params\":{%s}}", names[method],
		 params);
}

static void ask(struct test *t, unsigned world, unsigned caller)
{
	struct world *w = &t->worlds[world];
	json_t *answer;
	char *text;
	enum lurk_rpc_silence silence;

	answer = lurk_rpc_call(&w->rpc, &w->callers[caller], t->asked, strlen(t->asked), &silence);
	assert_non_null(answer);
	assert_int_equal(silence, LURK_RPC_ANSWERED);
	text = json_dumps(answer, JSON_COMPACT);
	snprintf(t->answers[world], sizeof t->answers[world], "%s", text);
	free(text);
	json_decref(answer);
	settle(w);
}

/* ---- The model --------------------------------------------------------------------------------
 */

static uint64_t now(const struct test *t)
{
	return lurk_sim_now(t->worlds[0].rig->sim);
}

static void end_trial(struct model *m)
{
	if (m->now.trying)
		m->now = m->before;
}

static bool has_profile(const struct part *part, unsigned with)
{
	return part->set && (!(with % 2) || has_game[part->set - 1]);
}

/* Whose rules are meant; OWNERS where the caller has none that are named. */
static unsigned meant(const struct test *t, unsigned caller, unsigned method, unsigned with)
{
	const unsigned own = rights(t, caller)->own ? owner_of(caller) : (unsigned)COMPUTER;

	if (method == KEEP)
		return t->model.now.tried;
	if (whose(with) == WHOSE_COMPUTER)
		return COMPUTER;
	if (whose(with) == WHOSE_OWN)
		return own ? own : (unsigned)OWNERS;
	if (method == USE && !has_profile(&t->model.now.parts[own], with))
		return COMPUTER;
	return own;
}

/* Rules that another user than this one switched off stay off. */
static bool may_switch_on(const struct state *s, unsigned caller)
{
	return rights_of[caller].change || !s->off[HERE] || s->off_by[HERE] == caller;
}

static void switch_rules(struct test *t, unsigned caller, bool off)
{
	struct state *s = &t->model.now;

	for (unsigned i = 0; i < PLACES; i++) {
		if (i && !rights_of[caller].change)
			continue;
		s->off[i] = off;
		s->off_by[i] = caller;
	}
}

static void switch_on(struct test *t, unsigned caller)
{
	if (may_switch_on(&t->model.now, caller))
		switch_rules(t, caller, false);
}

/* Whether it is carried out by the model, which then holds what comes of it. */
static bool model_does(struct test *t, unsigned caller, unsigned method, unsigned with)
{
	const unsigned owner = meant(t, caller, method, with);
	struct model *m = &t->model;
	struct part *part = &m->now.parts[owner < OWNERS ? owner : COMPUTER];

	if (method != END_TRY && method < SWITCH && owner == OWNERS)
		return false;
	if (method >= APPLY && method <= KEEP &&
	    (owner ? owner != owner_of(caller) : !rights_of[caller].change))
		return false;
	switch (method) {
	case GET_IMAGE:
		return part->set;
	case APPLY:
		end_trial(m);
		/* With nothing new it is no new version. */
		m->last[owner] += part->set != 1 + with % SETS;
		*part = (struct part){.set = 1 + with % SETS, .sequence = m->last[owner]};
		switch_on(t, caller);
		return true;
	case TRY:
		end_trial(m);
		m->before = m->now;
		*part = (struct part){.set = 1 + with % SETS};
		switch_on(t, caller);
		m->now.trying = true;
		m->now.tried = owner;
		m->tries = caller;
		m->until_us = now(t) + (1 + with / SETS % 5) * UINT64_C(1000000);
		return true;
	case KEEP:
		if (!m->now.trying)
			return false;
		m->now.trying = false;
		part->sequence = ++m->last[owner];
		return true;
	case END_TRY:
		if (!m->now.trying)
			return false;
		end_trial(m);
		return true;
	case SWITCH:
		if (!(with % 2) && !may_switch_on(&m->now, caller))
			return false;
		end_trial(m);
		switch_rules(t, caller, with % 2);
		return true;
	case USE:
		if (owner == OWNERS || !has_profile(part, with))
			return false;
		part->dusk = with % 2;
		return true;
	case LAYOUT:
		if (!owner_of(caller) || m->sits != caller)
			return false;
		m->layout = with % COUNT(layouts);
		m->tells = caller;
		return true;
	case WATCH:
		if (with % 2)
			m->takes_us[caller] = now(t) + (1 + with / 2 % 5) * UINT64_C(1000000);
		return true;
	case UNWATCH:
		m->takes_us[caller] = 0;
		return true;
	default:
		return true;
	}
}

/* Whoever leaves the screen leaves what that person tries and takes; and comes back to what that
 * person applied, from its first profile on. */
static void model_sits(struct test *t, unsigned caller)
{
	struct model *m = &t->model;
	const unsigned old = sitting(t), new = owner_of(caller);

	if (caller == m->sits)
		return;
	if (old && m->now.trying && m->now.tried == old)
		end_trial(m);
	m->takes_us[m->sits] = 0;
	m->sits = caller;
	m->layout = 0;
	m->now.parts[new].dusk = m->now.parts[new].dusk && !new;
	m->before.parts[new].dusk = m->before.parts[new].dusk && !new;
}

static void model_leaves(struct test *t, unsigned caller)
{
	if (t->model.now.trying && t->model.tries == caller)
		end_trial(&t->model);
	t->model.takes_us[caller] = 0;
	if (t->model.tells == caller)
		t->model.layout = 0;
}

static bool anybody_takes(const struct test *t)
{
	for (unsigned c = 0; c < CALLERS; c++) {
		if (t->model.takes_us[c] > now(t))
			return true;
	}
	return false;
}

/* Who follows is told of the same changes, whichever keys were pressed. */
static void tell(struct test *t)
{
	for (unsigned c = 0; c < CALLERS; c++) {
		bool changed[2];

		for (unsigned i = 0; i < 2; i++) {
			t->worlds[i].callers[c].rights = *rights(t, c);
			changed[i] = lurk_rpc_changed(&t->worlds[i].rpc, &t->worlds[i].callers[c]);
		}
		t->told += changed[0];
		if (!rights(t, c)->watch && changed[0] != changed[1])
			fail_msg("caller %u is told of a change in one world", c);
	}
}

static void judge(struct test *t)
{
	const struct model *m = &t->model;
	const struct world *w = &t->worlds[0];
	const struct lurk_session_mode mode = lurk_session_asked(&w->session);

	assert_int_equal(w->session.seats[0].layout,
			 lurk_layout_number(layouts[m->layout], strlen(layouts[m->layout])));
	for (unsigned part = 0; part < LURK_SESSION_PARTS; part++)
		assert_int_equal(mode.off[part].now, m->now.off[part == 1 ? HERE : ELSEWHERE]);
	assert_int_equal(mode.trying, m->now.trying);
	for (unsigned i = 0; i < 2; i++) {
		const unsigned owner = i ? sitting(t) : (unsigned)COMPUTER;
		const struct lurk_image *image = lurk_session_image(&w->session, i);
		const struct part nothing = {0};
		const struct part *part = i && !owner ? &nothing : &m->now.parts[owner];

		assert_int_equal(image != NULL, part->set != 0);
		assert_int_equal(mode.parts[i].profile, part->dusk);
		if (image)
			assert_int_equal(image->sequence, part->sequence);
	}
	for (unsigned k = 0; k < KEYBOARDS; k++)
		assert_int_equal(!!(w->keyboards[k].holds & LURK_HOLD_WITHHELD), anybody_takes(t));
}

/* ---- Steps ------------------------------------------------------------------------------------
 */

static void go_on(struct test *t, uint64_t us)
{
	t->clock_us += us;
	pass(&t->worlds[0], t->clock_us);
	pass(&t->worlds[1], t->clock_us);
	if (t->model.now.trying && now(t) >= t->model.until_us)
		end_trial(&t->model);
}

/* An image that is answered is the one that is meant: all but its stamp. */
static void check_image(struct test *t, unsigned caller, unsigned with, const char *answer)
{
	enum { STAMP = 2 * 52 };
	static const char name[] = "\"image\":\"";
	const unsigned owner = meant(t, caller, GET_IMAGE, with);
	const char *digits = t->digits[t->model.now.parts[owner].set - 1];
	const char *told = strstr(answer, name);

	assert_non_null(told);
	told += strlen(name) + STAMP;
	if (strncmp(told, digits + STAMP, strlen(digits) - STAMP) != 0 ||
	    told[strlen(digits) - STAMP] != '"')
		fail_msg("caller %u reads other rules than those of %u", caller, owner);
}

/* What who may watch asks for may be told to others: that it is a key's doing nobody knows. So they
 * leave alone what depends on keys, here. */
static void request(struct test *t)
{
	const unsigned caller = any(t, CALLERS), method = any(t, METHODS), with = any(t, 1000);
	const struct lurk_rights *has = rights(t, caller);
	const char *answer = t->answers[0];
	bool done;

	write_request(t, method, with);
	t->worlds[0].callers[caller].rights = t->worlds[1].callers[caller].rights = *has;
	ask(t, 0, caller);
	ask(t, 1, caller);
	if (!has->watch && strcmp(t->answers[0], t->answers[1]) != 0) {
		fprintf(stderr, "%s\n%s\n%s\n", t->asked, t->answers[0], t->answers[1]);
		fail_msg("caller %u saw a difference", caller);
	}
	t->requests++;
	if (!may(has, method)) {
		t->refusals++;
		if (!strstr(answer, "\"code\":-32001"))
			fail_msg("caller %u may not %s: %s", caller, names[method], answer);
		return;
	}
	done = model_does(t, caller, method, with);
	if (done != !!strstr(answer, "\"result\":"))
		fail_msg("caller %u: %.200s\n%s", caller, t->asked, answer);
	if (method == GET_IMAGE && done)
		check_image(t, caller, with, answer);
}

static void reconnect(struct test *t)
{
	const unsigned caller = any(t, CALLERS);

	for (unsigned i = 0; i < 2; i++) {
		struct world *w = &t->worlds[i];

		lurk_rpc_gone(&w->rpc, &w->callers[caller]);
		w->callers[caller] =
			(struct lurk_caller){.uid = caller, .rights = *rights(t, caller)};
		lurk_rpc_come(&w->rpc, &w->callers[caller]);
		settle(w);
	}
	model_leaves(t, caller);
}

/* ONE, OTHER, or nobody, as at a login prompt. */
static void sit(struct test *t)
{
	static const unsigned callers[] = {ONE, OTHER, STRANGER};
	const unsigned caller = callers[any(t, 3)], old = t->model.sits;

	model_sits(t, caller);
	for (unsigned i = 0; i < 2; i++) {
		struct world *w = &t->worlds[i];

		lurk_sim_sit(w->rig->sim, "", owner_of(caller) ? caller : (uint32_t)LURK_NOBODY);
		settle(w);
		if (old != caller)
			lurk_rpc_end_watch(&w->rpc, &w->callers[old]);
		settle(w);
	}
}

static void step(struct test *t)
{
	const unsigned what = any(t, 21);

	if (what < 9) {
		press(&t->worlds[0]);
		press(&t->worlds[1]);
		go_on(t, 20000);
	} else if (what < 17) {
		request(t);
	} else if (what < 18) {
		reconnect(t);
	} else if (what < 20) {
		go_on(t, any(t, 800000));
	} else {
		sit(t);
	}
	tell(t);
	judge(t);
	assert_string_equal(t->worlds[0].log, t->worlds[1].log);
	t->worlds[0].log[0] = t->worlds[1].log[0] = '\0';
}

static void write_sets(struct test *t)
{
	for (unsigned i = 0; i < SETS; i++) {
		struct test_rules *rules = calloc(1, sizeof *rules);
		const char *text = sets[i];

		if (!strncmp(text, "relay ", 6)) {
			rules->way = LURK_WAY_RELAY;
			text += 6;
		}
		test_rules_read(rules, text);
		assert_int_equal(test_rules_image(rules), LURK_OK);
		lurk_hex_write(rules->bytes, rules->length, t->digits[i]);
		free(rules);
	}
}

static void nobody_learns_or_does_what_is_not_theirs(void **state)
{
	const unsigned long steps = as_often(STEPS);
	struct test *t = calloc(1, sizeof *t);

	(void)state;
	t->seed = 13;
	t->model.sits = STRANGER;
	write_sets(t);
	begin(&t->worlds[0], 101);
	begin(&t->worlds[1], 202);
	t->clock_us = now(t);
	for (unsigned long i = 0; i < steps; i++)
		step(t);
	print_message(
		"%lu requests, %lu refused, %lu changes told, %llu images stored, and %llu and "
		"%llu of two persons\n",
		t->requests, t->refusals, t->told, (unsigned long long)t->model.last[0],
		(unsigned long long)t->model.last[1], (unsigned long long)t->model.last[2]);
	for (unsigned i = 0; i < 2; i++) {
		lurk_session_stop(&t->worlds[i].session);
		sim_rig_end(t->worlds[i].rig);
	}
	free(t);
}

/* Who asks for what at which seat, whether it is done, and what is so then: rules off at the main
 * seat, at seat1, and whether something is tried. ONE sits at the main one, OTHER at seat1; MAY_ASK
 * at one that has no keyboard. */
static const struct {
	unsigned caller, method, with;
	bool done, off[PLACES], trying;
} at_seats[] = {
	{OTHER, SWITCH, 1, true, {false, true}, false},
	{ONE, SWITCH, 1, true, {true, true}, false},
	{OTHER, SWITCH, 0, true, {true, false}, false},
	{MAY_ASK, SWITCH, 1, false, {true, false}, false},
	{MAY_ASK, SWITCH, 0, false, {true, false}, false},
	{ONE, SWITCH, 0, true, {false, false}, false},
	{ONE, TRY, 24, true, {false, false}, true},
	{OTHER, END_TRY, 0, false, {false, false}, true},
	{OTHER, SWITCH, 1, true, {false, true}, true},
	{ONE, END_TRY, 0, true, {false, true}, false},
	{ONE, TRY, 24, true, {false, true}, true},
	{MEMBER, END_TRY, 0, true, {false, true}, false},
	{ONE, TRY, 24, true, {false, true}, true},
	{ROOT, SWITCH, 1, true, {true, true}, false},
	{ONE, SWITCH, 0, false, {true, true}, false},
	{OTHER, APPLY, 0, true, {true, true}, false},
	{MEMBER, SWITCH, 0, true, {false, false}, false},
	{ROOT, SWITCH, 1, true, {true, true}, false},
	{ROOT, APPLY, 0, true, {false, false}, false},
};

static void one_seat_is_nothing_to_another(void **state)
{
	struct test *t = calloc(1, sizeof *t);
	struct world *w = &t->worlds[0];
	const struct lurk_session_off *off = w->session.mode.off;

	(void)state;
	write_sets(t);
	begin(w, 101);
	lurk_sim_seat(w->rig->sim, 1, "seat1");
	settle(w);
	lurk_sim_sit(w->rig->sim, "", ONE);
	lurk_sim_sit(w->rig->sim, "seat1", OTHER);
	settle(w);
	w->callers[ONE].rights = w->callers[OTHER].rights = w->callers[MAY_ASK].rights = at_screen;
	strcpy(w->callers[OTHER].seat, "seat1");
	strcpy(w->callers[MAY_ASK].seat, "seat7");
	for (size_t i = 0; i < COUNT(at_seats); i++) {
		write_request(t, at_seats[i].method, at_seats[i].with + 200); /* `whose` left out */
		ask(t, 0, at_seats[i].caller);
		if (at_seats[i].done != !!strstr(t->answers[0], "\"result\":") ||
		    at_seats[i].off[HERE] != off[1].now ||
		    at_seats[i].off[ELSEWHERE] != off[2].now ||
		    at_seats[i].trying != w->session.mode.trying)
			fail_msg("row %zu: %.200s", i, t->answers[0]);
	}
	lurk_session_stop(&w->session);
	sim_rig_end(w->rig);
	free(t);
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(one_seat_is_nothing_to_another),
		cmocka_unit_test(nobody_learns_or_does_what_is_not_theirs),
	};

	return cmocka_run_group_tests(tests, NULL, NULL);
}
