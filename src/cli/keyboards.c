/* keyboards: what is here and known; names, and keys that are broken. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"
#include "service/protocol.h"

enum { PATIENCE_S = 30 };
enum { OPTION_SAME_AS = 1000, OPTION_NICKNAME, OPTION_DESCRIBE, OPTION_OFF_CHORD, OPTION_FORM };

static const char off_chord[] = "off-chord";

struct keyboards {
	struct cli *cli;
	const char *name, *keyboard, *script;
	const char *quirk; /* the list of keyboards.yaml that keys are added to */
	const char *same_as, *nickname, *form;
	bool apart, describe;
	char **keys;
	unsigned count;
	int pressed; /* the session's number of the keyboard on which a key came, -1 for none yet */
};

/* ---- The list -------------------------------------------------------------------------------- */

static const char *connected(const struct lurk_identity *identity, char *out, size_t size)
{
	snprintf(out, size, "%s%s%s%s", identity->built_in ? "built in, " : "",
		 lurk_bus_name((enum lurk_bus)identity->bus), *identity->place ? ", " : "",
		 identity->place);
	return out;
}

/* By its numbers where the bus has any, else by where it is or what it calls itself. */
static const char *identity_words(const struct lurk_identity *identity, char *out, size_t size)
{
	if (identity->bus == LURK_BUS_USB || identity->bus == LURK_BUS_BLUETOOTH)
		snprintf(out, size, "%s %04x:%04x",
			 identity->bus == LURK_BUS_BLUETOOTH ? "bluetooth" : "usb",
			 identity->vendor, identity->product);
	else
		snprintf(out, size, "%s",
			 identity->built_in              ? "built-in"
			 : identity->bus == LURK_BUS_PS2 ? "ps2"
							 : "its name");
	return out;
}

static void list_quirks(const struct lurk_keyboard *k, enum lurk_quirk_kind kind, const char *what,
			const char *between, char *out, size_t size)
{
	bool first = true;

	for (unsigned i = 0; i < k->quirk_count; i++) {
		size_t n = strlen(out);

		if (k->quirks[i].kind != kind)
			continue;
		snprintf(out + n, size - n, "%s%s%s%s", first && n ? ", " : "", first ? what : "",
			 first ? " " : between, lurk_key_name(k->quirks[i].key));
		first = false;
	}
}

static const char *quirk_words(const struct lurk_keyboard *k, char *out, size_t size)
{
	snprintf(out, size, "%s", k->apart ? "stands apart" : "");
	list_quirks(k, LURK_QUIRK_BROKEN, "broken", ", ", out, size);
	list_quirks(k, LURK_QUIRK_MISSING, "missing", ", ", out, size);
	list_quirks(k, LURK_QUIRK_PRESS_ONLY, "press-only", ", ", out, size);
	list_quirks(k, LURK_QUIRK_OFF_CHORD, "off chord", "+", out, size);
	return out;
}

static bool is_here(const struct cli *cli, uint16_t described)
{
	for (uint16_t i = 0; i < cli->machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &cli->machine->keyboards[i];

		if (k->present && cli_described(cli, &k->info.identity) == described)
			return true;
	}
	return false;
}

struct listing {
	struct cli *cli;
	struct cli_table table;
	unsigned here, away, unnamed;
};

static void list_one(struct listing *l, uint16_t number)
{
	const struct lurk_machine *machine = l->cli->machine;
	const struct lurk_session_keyboard *k = &machine->keyboards[number];
	uint16_t described = cli_described(l->cli, &k->info.identity);
	unsigned rules = cli_rules_on(machine, k->described);
	char where[160], who[64], count[16], odd[200] = "", unnamed[96];

	l->here++;
	l->unnamed += !described;
	connected(&k->info.identity, where, sizeof where);
	identity_words(&k->info.identity, who, sizeof who);
	if (described)
		quirk_words(&l->cli->keyboards.keyboards[described - 1], odd, sizeof odd);
	if (l->cli->json) {
		struct json_object *object = json_object_new_object();

		json_object_object_add(object, "keyboard",
				       json_object_new_string(cli_keyboard_name(l->cli, number)));
		json_object_object_add(object, "known", json_object_new_boolean(described != 0));
		json_object_object_add(object, "here", json_object_new_boolean(true));
		json_object_object_add(object, "connected", json_object_new_string(where));
		json_object_object_add(object, "identity", json_object_new_string(who));
		json_object_object_add(object, "rules", json_object_new_int((int)rules));
		json_object_object_add(object, "way",
				       json_object_new_string(lurk_way_words[k->choice.way]));
		json_object_object_add(object, "odd", json_object_new_string(odd));
		cli_print_json(object);
		return;
	}
	snprintf(count, sizeof count, "%u", rules);
	snprintf(unnamed, sizeof unnamed, "(%s)",
		 *k->info.identity.name ? k->info.identity.name : "no name");
	cli_table_row(&l->table, described ? cli_keyboard_name(l->cli, number) : unnamed, where,
		      count, lurk_way_words[k->choice.way], who, odd);
}

static void list_away(struct listing *l, uint16_t described)
{
	const struct lurk_keyboard *k = &l->cli->keyboards.keyboards[described - 1];
	char odd[200];

	l->away++;
	quirk_words(k, odd, sizeof odd);
	if (l->cli->json) {
		struct json_object *object = json_object_new_object();

		json_object_object_add(object, "keyboard", json_object_new_string(k->name.bytes));
		json_object_object_add(object, "known", json_object_new_boolean(true));
		json_object_object_add(object, "here", json_object_new_boolean(false));
		json_object_object_add(object, "odd", json_object_new_string(odd));
		cli_print_json(object);
		return;
	}
	cli_table_row(&l->table, k->name.bytes, "not here", "", "", "", odd);
}

/* Keyboards that say the same of themselves can only be told apart by where they are plugged in. */
static void tell_twins(const struct cli *cli)
{
	const struct lurk_machine *m = cli->machine;

	for (uint16_t i = 0; i < m->keyboard_count; i++) {
		const struct lurk_identity *one = &m->keyboards[i].info.identity;

		for (uint16_t j = 0; m->keyboards[i].present && j < i; j++) {
			const struct lurk_identity *other = &m->keyboards[j].info.identity;

			if (!m->keyboards[j].present || one->bus != other->bus ||
			    one->vendor != other->vendor || one->product != other->product ||
			    strcmp(one->serial, other->serial) != 0 ||
			    strcmp(one->name, other->name) != 0)
				continue;
			printf("Two are called %s, and say the same of themselves: they can only "
			       "be told apart by their places, as in `{place: \"%s\"}` in %s.\n",
			       one->name, one->place, cli->keyboards_path);
		}
	}
}

static int list(struct cli *cli)
{
	static const char *const heads[] = {"keyboard", "connected",     "rules",
					    "way",      "recognised by", "odd keys"};
	const struct lurk_machine *machine = cli->machine;
	struct listing l = {.cli = cli};
	char here[48];

	cli_table_init(&l.table, heads, 6);
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		if (machine->keyboards[i].present)
			list_one(&l, i);
	}
	for (uint16_t d = 1; d <= cli->keyboards.count; d++) {
		if (!is_here(cli, d))
			list_away(&l, d);
	}
	if (cli->json)
		return CLI_DONE;
	printf("%s here", cli_count(l.here, "keyboard", here));
	if (l.away)
		printf(", %u more known", l.away);
	puts(l.here + l.away ? ":" : ".");
	cli_table_print(&l.table, "  ");
	tell_twins(cli);
	if (l.unnamed)
		printf("%s (in brackets: what it calls itself): `lurk keyboards --name NAME` gives "
		       "%s one.\n",
		       l.unnamed == 1 ? "One has no name of yours" : "Some have no name of yours",
		       l.unnamed == 1 ? "it" : "them");
	return CLI_DONE;
}

/* ---- Names ----------------------------------------------------------------------------------- */

static void note_press(struct keyboards *k, const struct lurk_event *event)
{
	if (k->pressed < 0 && event->key.state == LURK_DOWN)
		k->pressed = event->keyboard;
}

static void on_event(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	(void)action;
	note_press(data, event);
}

/* On the real machine: until a key came. */
static bool on_press(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct keyboards *k = data;

	(void)action;
	note_press(k, event);
	return k->pressed < 0;
}

static bool by_press(struct keyboards *k, struct lurk_message *why)
{
	return cli_watch(
		k->cli->machine,
		&(struct cli_watch){.watching = {.data = k, .seconds = PATIENCE_S, .key = on_press},
				    .prompt = "Press a key on the keyboard that you mean."},
		why);
}

/* Which keyboard is meant: the one on which a key is pressed; on a desk else the only one without a
 * name. */
static int choose(struct keyboards *k)
{
	const struct lurk_machine *machine = k->cli->machine;
	struct lurk_message why;
	unsigned unnamed = 0;
	int only = -1;

	k->pressed = -1;
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *one = &machine->keyboards[i];

		if (!one->present || cli_described(k->cli, &one->info.identity))
			continue;
		unnamed++;
		only = i;
	}
	/* On a real machine the one without a name may be a power button. */
	if (!k->script && machine->desk && unnamed == 1)
		return only;
	if (!k->script && machine->desk) {
		cli_fail(CLI_USAGE,
			 unnamed ? "several keyboards have no name yet; choose one by a press: "
				   "--play SCRIPT"
				 : "every keyboard here has a name already; choose one by a "
				   "press: --play SCRIPT");
		return -1;
	}
	if (!(k->script ? cli_play_watched(k->cli, k->script, on_event, k, &why)
			: by_press(k, &why))) {
		if (*why.text)
			cli_fail(CLI_USAGE, "%s", why.text);
	} else if (k->pressed < 0) {
		cli_fail(CLI_USAGE, "no key was pressed, so no keyboard is chosen");
	}
	return k->pressed;
}

/* How keyboards.yaml will recognise it: as little as tells it from the others. To be freed. */
static char *recognise_by(const struct lurk_identity *identity)
{
	char *name = lurk_yaml_scalar(identity->name), *out = NULL;
	int n;

	if (identity->bus == LURK_BUS_USB || identity->bus == LURK_BUS_BLUETOOTH)
		n = asprintf(&out, "{%s: \"%04x:%04x\"}",
			     identity->bus == LURK_BUS_BLUETOOTH ? "bluetooth" : "usb",
			     identity->vendor, identity->product);
	else if (identity->built_in)
		n = asprintf(&out, "{built-in: true}");
	else if (identity->bus == LURK_BUS_PS2)
		n = asprintf(&out, "{ps2: true}");
	else
		n = asprintf(&out, "{calls-itself: %s}", name);
	free(name);
	if (n < 0)
		abort();
	return out;
}

static bool reread(struct cli *cli, struct lurk_message *message)
{
	size_t length;
	char *bytes = lurk_yaml_copy(&cli->keyboards.yaml, &length);

	lurk_keyboards_free(&cli->keyboards);
	return lurk_keyboards_read(&cli->keyboards, cli->keyboards_path, bytes, length, message);
}

static const char then_apply[] =
	" What is in force has not changed: `lurk apply` takes it into account.";

static int say_done(struct cli *cli, const char *summary, const char *then)
{
	if (!cli_save_keyboards(cli, summary))
		return CLI_COULD_NOT;
	if (cli->json) {
		struct json_object *object = json_object_new_object();

		json_object_object_add(object, "did", json_object_new_string(summary));
		json_object_object_add(object, "file", json_object_new_string(cli->keyboards_path));
		cli_print_json(object);
	} else {
		printf("%s.\nIt stands in %s.%s\n", summary, cli->keyboards_path, then);
	}
	return CLI_DONE;
}

bool cli_name_keyboard(struct cli *cli, uint16_t number, const char *name,
		       struct lurk_message *message)
{
	const struct lurk_identity *identity = &cli->machine->keyboards[number].info.identity;
	struct lurk_field field = {name, NULL};
	char *value, summary[200];
	bool fine;

	if (cli_described(cli, identity))
		return lurk_say(message, "that keyboard is called %s already; rename it in %s",
				cli_keyboard_name(cli, number), cli->keyboards_path);
	value = recognise_by(identity);
	field.value = value;
	fine = lurk_edit_name(&cli->keyboards.yaml, "keyboards", &field, message) &&
	       reread(cli, message);
	free(value);
	snprintf(summary, sizeof summary, "%s is now called %s",
		 *identity->name ? identity->name : "That keyboard", name);
	return fine && (say_done(cli, summary, then_apply) == CLI_DONE ||
			lurk_say(message, "%s cannot be written", cli->keyboards_path));
}

static int name_it(struct keyboards *k)
{
	struct lurk_message why;
	int number = choose(k);

	if (number < 0)
		return CLI_USAGE;
	return cli_name_keyboard(k->cli, (uint16_t)number, k->name, &why)
		       ? CLI_DONE
		       : cli_fail(CLI_USAGE, "%s", why.text);
}

/* ---- Odd keys -------------------------------------------------------------------------------- */

/* The list as it is to be: what it has, and what is new; a chord is another one. */
static bool new_list(struct keyboards *k, const struct lurk_node *old, char *out, size_t size)
{
	struct lurk_message why;

	snprintf(out, size, "[");
	for (const struct lurk_node *key = old && k->quirk != off_chord ? old->first : NULL; key;
	     key = key->next)
		snprintf(out + strlen(out), size - strlen(out), "%s%s", out[1] ? ", " : "",
			 key->text);
	for (unsigned i = 0; i < k->count; i++) {
		struct lurk_press press;

		if (!lurk_words_press(k->keys[i], cli_characters(k->cli), &press, &why) ||
		    (press.on.kind != LURK_TARGET_KEY &&
		     !lurk_say(&why, "`%s` is not one key", k->keys[i]))) {
			cli_fail(CLI_USAGE, "%s", why.text);
			return false;
		}
		snprintf(out + strlen(out), size - strlen(out), "%s%s", out[1] ? ", " : "",
			 lurk_key_name(press.on.key));
	}
	snprintf(out + strlen(out), size - strlen(out), "]");
	return true;
}

/* The description of a keyboard in the file: the first way in which it is recognised. */
static const struct lurk_node *description(const struct cli *cli, uint16_t described)
{
	const struct lurk_node *way = cli->keyboards.nodes[described - 1];

	return way->kind == LURK_NODE_LIST ? way->first : way;
}

static int mark_keys(struct keyboards *k)
{
	struct cli *cli = k->cli;
	struct lurk_message why;
	const struct lurk_node *way;
	struct lurk_field field = {k->quirk, NULL};
	char list[512], summary[700];
	uint16_t described;

	if (!k->keyboard)
		return cli_fail(CLI_USAGE, "say on which keyboard: --keyboard NAME");
	if (!cli_keyboard_option(cli, k->keyboard, &described))
		return CLI_USAGE;
	way = description(cli, described);
	if (!new_list(k, lurk_node_get(way, k->quirk), list, sizeof list))
		return CLI_USAGE;
	snprintf(summary, sizeof summary,
		 k->quirk == off_chord ? "On %s the %s is %.*s" : "On %s these are %s: %.*s",
		 cli->keyboards.keyboards[described - 1].name.bytes, k->quirk,
		 (int)strlen(list) - 2, list + 1);
	field.value = list;
	if (!lurk_edit_set(&cli->keyboards.yaml, way, &field, &why) || !reread(cli, &why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	return say_done(cli, summary, then_apply);
}

/* `CODE=NAME` */
static int give_nickname(struct keyboards *k)
{
	struct cli *cli = k->cli;
	const char *equals = strrchr(k->nickname, '=');
	struct lurk_field field = {"nicknames", NULL};
	char list[1024] = "{", code[LURK_WORDS], summary[256], on[LURK_WORDS];
	struct lurk_message why;
	struct lurk_press press;
	uint16_t described;

	if (!k->keyboard)
		return cli_fail(CLI_USAGE, "say on which keyboard: --keyboard NAME");
	if (!cli_keyboard_option(cli, k->keyboard, &described))
		return CLI_USAGE;
	if (!equals || equals == k->nickname || !equals[1])
		return cli_fail(CLI_USAGE,
				"a nickname is given as in --nickname hid:07:a5=Feather");
	snprintf(code, sizeof code, "%.*s", (int)(equals - k->nickname), k->nickname);
	if (!lurk_words_press(code, cli_characters(cli), &press, &why))
		return cli_fail(CLI_USAGE, "%s", why.text);
	if (press.modifiers || press.only || press.on.kind < LURK_TARGET_KEY)
		return cli_fail(CLI_USAGE, "`%s`: a nickname stands for one key or scan code",
				code);
	lurk_words_target(&press.on, on);
	for (uint16_t i = 0; i < cli->keyboards.nickname_count; i++) {
		const struct lurk_nickname *n = &cli->keyboards.nicknames[i];
		char one[LURK_WORDS];

		if (n->keyboard == described && strcmp(lurk_words_target(&n->on, one), on) != 0)
			snprintf(list + strlen(list), sizeof list - strlen(list), "%s: \"%s\", ",
				 n->name, one);
	}
	snprintf(list + strlen(list), sizeof list - strlen(list), "%s: \"%s\"}", equals + 1, on);
	field.value = list;
	if (!lurk_edit_set(&cli->keyboards.yaml, description(cli, described), &field, &why) ||
	    !reread(cli, &why))
		return cli_fail(CLI_USAGE, "%s", why.text);
	snprintf(summary, sizeof summary, "%s on %s is called %s from now on", on,
		 cli->keyboards.keyboards[described - 1].name.bytes, equals + 1);
	return say_done(cli, summary, then_apply);
}

/* The same keyboard by another connection: one more way to recognise it. */
static int join(struct keyboards *k)
{
	struct cli *cli = k->cli;
	struct lurk_message why;
	struct lurk_field field;
	const struct lurk_node *map, *old;
	char *way, *value = NULL, summary[256];
	uint16_t described;
	int number, n;

	if (!cli_keyboard_option(cli, k->same_as, &described))
		return CLI_USAGE;
	number = choose(k);
	if (number < 0)
		return CLI_USAGE;
	if (cli_described(cli, &cli->machine->keyboards[number].info.identity))
		return cli_fail(CLI_USAGE, "that keyboard is called %s already",
				cli_keyboard_name(cli, (uint16_t)number));
	old = cli->keyboards.nodes[described - 1];
	map = lurk_node_get(cli->keyboards.yaml.root, "keyboards");
	way = recognise_by(&cli->machine->keyboards[number].info.identity);
	if (memchr(cli->keyboards.yaml.bytes + old->start, '\n', old->end - old->start)) {
		cli_fail(CLI_COULD_NOT,
			 "%s stands on several lines in %s; add this to its list there: - %s",
			 k->same_as, cli->keyboards_path, way);
		free(way);
		return CLI_COULD_NOT;
	}
	n = old->kind == LURK_NODE_LIST
		    ? asprintf(&value, "%.*s, %s]", (int)(old->end - old->start - 1),
			       cli->keyboards.yaml.bytes + old->start, way)
		    : asprintf(&value, "[%.*s, %s]", (int)(old->end - old->start),
			       cli->keyboards.yaml.bytes + old->start, way);
	free(way);
	if (n < 0)
		abort();
	field = (struct lurk_field){cli->keyboards.keyboards[described - 1].name.bytes, value};
	snprintf(summary, sizeof summary, "%s is the same keyboard as %s",
		 cli->machine->keyboards[number].info.identity.name, field.name);
	if (!lurk_edit_set(&cli->keyboards.yaml, map, &field, &why) || !reread(cli, &why)) {
		free(value);
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	}
	free(value);
	return say_done(cli, summary, then_apply);
}

/* What was learnt of the keyboards here, as a keyboards.yaml for others. */
static int describe(struct keyboards *k)
{
	struct cli *cli = k->cli;
	const struct lurk_machine *machine = cli->machine;
	unsigned count = 0;
	uint16_t only;

	if (!cli_keyboard_option(cli, k->keyboard, &only))
		return CLI_USAGE;
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *one = &machine->keyboards[i];
		uint16_t described = one->present ? cli_described(cli, &one->info.identity) : 0;
		unsigned declared = 0;

		if (!described || (only && only != described))
			continue;
		for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key))
			declared += lurk_declares(&one->info, key);
		if (!count++)
			puts("keyboards:");
		printf("  # calls itself \"%s\"; says that it has %u keys\n",
		       one->info.identity.name, declared);
		printf("  %s: %.*s\n", cli->keyboards.keyboards[described - 1].name.bytes,
		       (int)(cli->keyboards.nodes[described - 1]->end -
			     cli->keyboards.nodes[described - 1]->start),
		       cli->keyboards.yaml.bytes + cli->keyboards.nodes[described - 1]->start);
	}
	if (!count)
		return cli_fail(CLI_FOUND, "no such keyboard is here; `lurk keyboards --name NAME` "
					   "gives one a name");
	return CLI_DONE;
}

/* Writes a field of one keyboard. */
static int set_field(struct keyboards *k, const char *name, const char *value, const char *so)
{
	const struct lurk_field field = {name, value};
	struct cli *cli = k->cli;
	struct lurk_message why;
	const struct lurk_node *way;
	char summary[192];
	uint16_t described;

	if (!k->keyboard)
		return cli_fail(CLI_USAGE, "say which keyboard: --keyboard NAME");
	if (!cli_keyboard_option(cli, k->keyboard, &described))
		return CLI_USAGE;
	way = description(cli, described);
	snprintf(summary, sizeof summary, "%s %s",
		 cli->keyboards.keyboards[described - 1].name.bytes, so);
	if (!lurk_edit_set(&cli->keyboards.yaml, way, &field, &why) || !reread(cli, &why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	return say_done(cli, summary, strcmp(name, "form") ? then_apply : "");
}

/* A thing that types but that nobody types on: a scanner, a token for passwords. */
static int set_apart(struct keyboards *k)
{
	return set_field(k, "apart", "true",
			 "stands apart: rules for all keyboards leave it alone");
}

/* How pictures draw it. */
static int set_form(struct keyboards *k)
{
	struct lurk_forms forms;
	char wrong[32], value[32], so[160];

	if (!lurk_forms_read(k->form, &forms, wrong))
		return cli_fail(CLI_USAGE, "`%s` is no form; write " LURK_FORMS_WORDS, wrong);
	snprintf(value, sizeof value, "%s%s%s", forms.has_form ? lurk_form_name(forms.form) : "",
		 forms.has_form && forms.has_arrangement ? " " : "",
		 forms.has_arrangement ? lurk_arrangement_name(forms.arrangement) : "");
	if (!*value)
		return cli_fail(CLI_USAGE, "--form is empty; write " LURK_FORMS_WORDS);
	snprintf(so, sizeof so, "is drawn as %s: `lurk picture --keyboard %.32s`", value,
		 k->keyboard ? k->keyboard : "NAME");
	return set_field(k, "form", value, so);
}

/* ---- The command ----------------------------------------------------------------------------- */

static const struct argp_option options[] = {
	{"name", 'N', "NAME", 0,
	 "Name the keyboard on which the next key is pressed; on a desk, the one that has no name",
	 0},
	{"play", 'P', "SCRIPT", 0, "On a simulated desk: the press that chooses the keyboard", 0},
	{"keyboard", 'k', "NAME", 0, "The keyboard whose keys are meant", 0},
	{"apart", 'A', NULL, 0,
	 "It types, but nobody types on it (a scanner, a token): rules for all keyboards leave it "
	 "alone",
	 0},
	{"same-as", OPTION_SAME_AS, "NAME", 0,
	 "The keyboard here that has no name, or the one on which a key is pressed, is NAME by "
	 "another connection",
	 0},
	{"nickname", OPTION_NICKNAME, "CODE=NICKNAME", 0,
	 "Give a key of that keyboard a name of your own, to be used in rules", 0},
	{"describe", OPTION_DESCRIBE, NULL, 0,
	 "Write what was learnt of the keyboards here, for others", 0},
	{"form", OPTION_FORM, "FORM", 0,
	 "How pictures draw that keyboard: full, no-keypad, compact or pad, and iso, ansi or jis",
	 0},
	{"broken", 'b', NULL, 0, "KEYs are there, but not to be relied on", 1},
	{"missing", 'm', NULL, 0, "KEYs are not on this keyboard", 1},
	{"press-only", 'o', NULL, 0, "KEYs never send their release", 1},
	{"off-chord", OPTION_OFF_CHORD, NULL, 0,
	 "These 2 to 4 KEYs, held together for two seconds, switch all rules off and on; without "
	 "KEYs, see whether the chord arrives",
	 1},
	{0},
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct keyboards *k = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = k->cli;
		return 0;
	case 'N':
		k->name = arg;
		return 0;
	case 'P':
		k->script = arg;
		return 0;
	case 'k':
		k->keyboard = arg;
		return 0;
	case 'A':
		k->apart = true;
		return 0;
	case OPTION_SAME_AS:
		k->same_as = arg;
		return 0;
	case OPTION_NICKNAME:
		k->nickname = arg;
		return 0;
	case OPTION_DESCRIBE:
		k->describe = true;
		return 0;
	case OPTION_FORM:
		k->form = arg;
		return 0;
	case OPTION_OFF_CHORD:
	case 'b':
	case 'm':
	case 'o':
		if (k->quirk)
			argp_error(state, "one of --broken, --missing, --press-only and "
					  "--off-chord at a time");
		k->quirk = key == 'b'   ? "broken"
			   : key == 'm' ? "missing"
			   : key == 'o' ? "press-only"
					: off_chord;
		return 0;
	case ARGP_KEY_ARGS:
		k->keys = state->argv + state->next;
		k->count = (unsigned)(state->argc - state->next);
		return 0;
	case ARGP_KEY_END:
		if ((k->apart || k->form) && (k->quirk || k->name || (k->apart && k->form)))
			argp_error(state, "--apart and --form go with --keyboard alone");
		if (k->describe && k->cli->json)
			argp_error(state, "--describe writes YAML, for a keyboards.yaml");
		if (k->count && !k->quirk)
			argp_error(state,
				   "keys go with --broken, --missing, --press-only or --off-chord");
		if (k->quirk && (k->name || (!k->count && k->quirk != off_chord)))
			argp_error(state, "say which keys, as in --broken Delete");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

int cli_keyboards(struct cli *cli, int argc, char **argv)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {options,
				  parse_option,
				  "[KEY...]",
				  "The keyboards here and known: how they are connected, how many "
				  "rules act on each, and which way."
				  "\vExamples:\n"
				  "  lurk keyboards\n"
				  "  lurk keyboards --name wagtail\n"
				  "  lurk keyboards --keyboard heron --broken Delete",
				  children,
				  NULL,
				  NULL};
	struct keyboards k = {.cli = cli};

	cli_parse(cli, &argp, argc, argv, &k);
	cli->editing = k.name || k.same_as || k.nickname || k.describe || k.apart || k.form ||
		       (k.quirk && k.count);
	if (!cli_read_files(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	if (k.name)
		return name_it(&k);
	if (k.quirk == off_chord && !k.count && !cli->desk)
		return cli_test_chord(cli);
	if (k.same_as)
		return join(&k);
	if (k.nickname)
		return give_nickname(&k);
	if (k.describe)
		return describe(&k);
	if (k.apart)
		return set_apart(&k);
	if (k.form)
		return set_form(&k);
	return k.quirk ? mark_keys(&k) : list(cli);
}
