/* identify: what keys send and give, a line a press. What is pressed is printed and forgotten. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"
#include "lurk/history.h"

struct identify {
	struct cli *cli;
	const char *script;
	unsigned count, seconds; /* after which it ends; 0 for never */
	struct lurk_history history;
	unsigned shown;
};

static const char *gives_words(const struct identify *id, const struct lurk_press_record *r,
			       char *out, size_t size)
{
	const struct lurk_image *image = id->cli->machine->image;
	struct lurk_rule rule;
	lurk_key gives = lurk_action_key(&r->gives, r->key);

	if (!r->gives.rank) {
		snprintf(out, size, "%s", r->key ? "gives itself" : "gives nothing");
		return out;
	}
	snprintf(out, size, "gives %s", gives ? lurk_key_name(gives) : "nothing");
	if (r->gives.gives == LURK_GIVES_ITSELF)
		snprintf(out, size, "gives itself");
	if (image && r->gives.rule < image->rule_count) {
		lurk_image_rule(image, r->gives.rule, &rule);
		snprintf(out + strlen(out), size - strlen(out), " (line %u)", rule.line);
	}
	return out;
}

static const char *time_words(const struct lurk_press_record *r, char *out, size_t size)
{
	if (r->held)
		snprintf(out, size, "pressed, not released");
	else if (!r->down_us)
		snprintf(out, size, "released, not pressed");
	else
		snprintf(out, size, "down %u ms", (unsigned)((r->up_us - r->down_us) / 1000));
	if (r->repeats)
		snprintf(out + strlen(out), size - strlen(out), ", repeated");
	return out;
}

static const char *interface_words(const struct lurk_press_record *r)
{
	return r->scan.kind == LURK_SCAN_HID && r->scan.code >> 16 == 0x0c
		       ? ", from its second interface"
		       : "";
}

static void print_json(struct identify *id, const struct lurk_press_record *r)
{
	struct json_object *object = json_object_new_object();
	char scan[LURK_SCAN_TEXT], name[LURK_WORDS];
	lurk_key gives = lurk_action_key(&r->gives, r->key);

	json_object_object_add(object, "keyboard",
			       json_object_new_string(cli_keyboard_name(id->cli, r->keyboard)));
	json_object_object_add(object, "key",
			       json_object_new_string(lurk_words_key(r->key, r->scan, name)));
	json_object_object_add(object, "scan",
			       json_object_new_string(lurk_scan_write(r->scan, scan)));
	json_object_object_add(object, "meaning", json_object_new_string(lurk_key_meaning(r->key)));
	json_object_object_add(object, "gives",
			       json_object_new_string(gives ? lurk_key_name(gives) : "nothing"));
	json_object_object_add(object, "pressed", json_object_new_boolean(r->down_us != 0));
	json_object_object_add(object, "released", json_object_new_boolean(!r->held));
	if (r->down_us && !r->held)
		json_object_object_add(
			object, "down_ms",
			json_object_new_int64((int64_t)((r->up_us - r->down_us) / 1000)));
	cli_print_json(object);
}

static void print_press(struct identify *id, const struct lurk_press_record *r)
{
	char scan[LURK_SCAN_TEXT], gives[128], time[64], means[96];
	const char *meaning = lurk_key_meaning(r->key);

	id->shown++;
	if (id->cli->json) {
		print_json(id, r);
		return;
	}
	snprintf(means, sizeof means, "%s%s", *meaning ? "means " : "",
		 !strcmp(meaning, " ") ? "a space" : meaning);
	printf("%-8s  %-16s  %-11s  %-21s  %-26s  %s%s\n", cli_keyboard_name(id->cli, r->keyboard),
	       r->key ? lurk_key_name(r->key) : "(no name)", lurk_scan_write(r->scan, scan), means,
	       gives_words(id, r, gives, sizeof gives), time_words(r, time, sizeof time),
	       interface_words(r));
	if (!r->key && !r->gives.rank)
		printf("          It can have a job all the same: lurk map %s KEY\n", scan);
}

static void on_event(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct identify *id = data;
	const struct lurk_press_record *r = lurk_history_feed(&id->history, event, action);

	if (r)
		print_press(id, r);
}

/* On the real machine a keyboard may have come since it was last looked at. */
static bool on_real_event(void *data, const struct lurk_event *event,
			  const struct lurk_action *action)
{
	struct identify *id = data;
	struct lurk_message unused;

	if (event->keyboard >= id->cli->machine->keyboard_count)
		return true;
	if (!id->cli->machine->keyboards[event->keyboard].present)
		cli_machine_look(id->cli->machine, &unused);
	on_event(id, event, action);
	fflush(stdout);
	return !id->count || id->shown < id->count;
}

static unsigned read_number(struct argp_state *state, const char *arg)
{
	char *end;
	unsigned long value = strtoul(arg, &end, 10);

	if (*end || !value || value > 1000000)
		argp_error(state, "`%s` is not a number from 1 to 1000000", arg);
	return (unsigned)value;
}

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct identify *id = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = id->cli;
		return 0;
	case 'P':
		id->script = arg;
		return 0;
	case 'n':
		id->count = read_number(state, arg);
		return 0;
	case 's':
		id->seconds = read_number(state, arg);
		return 0;
	case ARGP_KEY_ARG:
		argp_error(state, "`%s` is not expected here; press the key instead", arg);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static const struct argp_option options[] = {
	{"count", 'n', "N", 0, "End after N presses", 0},
	{"seconds", 's', "N", 0, "End after N seconds", 0},
	{"play", 'P', "SCRIPT", 0,
	 "On a simulated desk: the presses, as `lurk play` takes them; standard input if not given",
	 0},
	{0},
};

static bool play(struct identify *id, struct lurk_message *why)
{
	struct lurk_computer *computer = id->cli->computer;
	FILE *script = cli_open_script(id->script);
	bool fine;

	if (!script)
		return lurk_say(why, "%s", ""); /* said already */
	lurk_session_watch(&computer->session, on_event, id);
	fine = lurk_computer_play(computer, id->script, script, why);
	lurk_session_watch(&computer->session, NULL, NULL);
	if (script != stdin)
		fclose(script);
	return fine;
}

static bool watch(struct identify *id, struct lurk_message *why)
{
	if (!id->cli->json)
		fputs(id->count || id->seconds ? "Press keys.\n" : "Press keys; Ctrl+C ends.\n",
		      stderr);
	return cli_machine_watch(
		id->cli->machine,
		&(struct cli_watching){.data = id, .seconds = id->seconds, .key = on_real_event},
		why);
}

/* What is still held, and that nothing came at all. */
static void finish(struct identify *id, bool fine)
{
	for (uint32_t i = 0; lurk_history_at(&id->history, i); i++) {
		if (lurk_history_at(&id->history, i)->held)
			print_press(id, lurk_history_at(&id->history, i));
	}
	if (fine && !id->shown && !id->cli->json)
		puts("No key arrived. What a keyboard keeps to itself, such as Fn, no program can "
		     "see or change.");
}

int cli_identify(struct cli *cli, int argc, char **argv)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {options,
				  parse_option,
				  "",
				  "Press keys and see, a line a press: keyboard, key, scan code, "
				  "meaning, what it gives now, and how "
				  "long it was down. Nothing of it is stored."
				  "\vExamples:\n"
				  "  lurk identify --count 1\n"
				  "  echo 'press Feather on curlew' | lurk --desk hide identify",
				  children,
				  NULL,
				  NULL};
	struct identify *id = calloc(1, sizeof *id);
	struct lurk_message why;
	int status = CLI_COULD_NOT;

	if (!id)
		abort();
	id->cli = cli;
	id->script = "-";
	cli_parse(cli, &argp, argc, argv, id);
	lurk_history_init(&id->history);
	if (cli_read_files(cli) && cli_machine(cli)) {
		status = CLI_DONE;
		if (!(cli->machine->desk ? play(id, &why) : watch(id, &why)))
			status = cli->machine->desk && *why.text ? CLI_USAGE : CLI_COULD_NOT;
		if (status && *why.text)
			cli_fail(status, "%s", why.text);
		finish(id, status == CLI_DONE);
	}
	free(id);
	return status;
}
