/* complete: what may stand next on the command line, for the shells' completion: a word a line. */
#include <fcntl.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "cli/commands.h"
#include "lurk/work/own_layouts.h"

/* The words before the one that is completed, which may be empty. */
struct complete {
	struct cli *cli;
	char **words;
	unsigned count; /* without the last one */
	const char *begun;
};

static void offer(const struct complete *c, const char *word)
{
	if (*word && !strncasecmp(word, c->begun, strlen(c->begun)))
		puts(word);
}

static void offer_keys(const struct complete *c)
{
	static const char *const more[] = {"Alt", "Control", "Shift", "Meta"};

	for (size_t i = 0; i < sizeof more / sizeof *more; i++)
		offer(c, more[i]);
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key))
		offer(c, lurk_key_name(key));
}

static void offer_keyboards(const struct complete *c)
{
	for (uint16_t i = 0; i < c->cli->ws.keyboards.count; i++)
		offer(c, c->cli->ws.keyboards.keyboards[i].name.bytes);
}

static void offer_profiles(const struct complete *c)
{
	const struct lurk_profile_set set = lurk_workspace_set(&c->cli->ws);

	for (unsigned i = 0; i < set.count; i++)
		offer(c, set.files[i]->word);
}

static bool is_command(const char *word)
{
	for (const struct cli_command *command = cli_commands; command->name; command++) {
		if (command->run && !strcmp(command->name, word))
			return true;
	}
	return false;
}

/* The options that the command's own help lists, so that none is forgotten here. */
static void offer_options(const struct complete *c)
{
	char self[PATH_MAX], command[PATH_MAX + 64], line[256], *next;
	ssize_t n = readlink("/proc/self/exe", self, sizeof self - 1);
	const char *word = c->count && is_command(c->words[0]) ? c->words[0] : "";
	FILE *help;

	if (n <= 0 || memchr(self, '\'', (size_t)n))
		return;
	snprintf(command, sizeof command, "'%.*s' %s --help", (int)n, self, word);
	help = popen(command, "r");
	while (help && fgets(line, sizeof line, help)) {
		char *option = line + strspn(line, " ");

		if (*option != '-')
			continue;
		for (option = strstr(option, "--"); option; option = next) {
			const size_t length = strcspn(option, "=[ ,\n");

			next = strncmp(option + length, ", --", 4) ? NULL : option + length + 2;
			option[length] = '\0';
			offer(c, option);
		}
	}
	if (help)
		pclose(help);
}

static void offer_commands(const struct complete *c)
{
	for (const struct cli_command *command = cli_commands; command->name; command++) {
		if (command->run && strcmp(command->name, "complete") != 0)
			offer(c, command->name);
	}
}

/* Forms and arrangements; after a comma the other one. */
static void offer_forms(const struct complete *c)
{
	const char *comma = strrchr(c->begun, ',');
	char both[64];

	for (unsigned i = 0; i < LURK_FORM_COUNT; i++)
		offer(c, lurk_form_name((enum lurk_form)i));
	for (unsigned i = 0; i < LURK_ARRANGEMENT_COUNT; i++) {
		snprintf(both, sizeof both, "%.*s%s", comma ? (int)(comma + 1 - c->begun) : 0,
			 c->begun, lurk_arrangement_name((enum lurk_arrangement)i));
		offer(c, both);
	}
}

/* Variants, of which there are many, after a colon only. */
static void offer_layout(void *data, const char *name)
{
	const struct complete *c = data;

	if (!strchr(name, ':') || strchr(c->begun, ':'))
		offer(c, name);
}

static void offer_own_layout(void *data, const char *name)
{
	offer(data, name);
}

/* Words that an option takes; true where it is one of these. */
static bool offer_values(struct complete *c, const char *option)
{
	static const char *const values[][7] = {
		{"--codes", "scan", "hid", "evdev", "names", "meaning"},
		{"--paper", "a4", "letter"},
		{"--with", "Shift", "Control", "Alt", "AltRight", "Meta"},
	};

	if (!strcmp(option, "--form")) {
		offer_forms(c);
		return true;
	}
	if (!strcmp(option, "--layout") || !strcmp(option, "--from")) {
		if (!strcmp(option, "--from"))
			offer(c, "nothing");
		lurk_own_layout_files_each(&c->cli->ws, offer_own_layout, c);
		lurk_layouts_each(offer_layout, c);
		return true;
	}
	for (size_t i = 0; i < sizeof values / sizeof *values; i++) {
		if (strcmp(option, values[i][0]) != 0)
			continue;
		for (unsigned v = 1; values[i][v]; v++)
			offer(c, values[i][v]);
		return true;
	}
	return false;
}

static void offer_all(struct complete *c)
{
	static const char *const of_keys[] = {"map", "swap", "disable", "move",    "restore",
					      "off", "on",   "reach",   "resolve", NULL};
	static const char *const of_profile[] = {"list", "new", "rename", "remove"};
	static const char *const of_layout[] = {
		"list", "begin", "take",    "type", "copy",      "after", "restore", "call",
		"show", "check", "install", "use",  "uninstall", "pack",  "renew",   "withdraw"};
	static const char *const of_hwdb[] = {"list", "print", "write", "remove", "take"};
	static const char *const keyboards[] = {"--keyboard", "-k", "--same-as", NULL};
	static const char *const profiles[] = {"--profile", "-p",         "--use",
					       "-u",        "--based-on", NULL};
	const char *before = c->count ? c->words[c->count - 1] : "";
	const char *command = c->count ? c->words[0] : "";

	if (offer_values(c, before))
		return;
	if (cli_is_one_of(before, keyboards))
		offer_keyboards(c);
	else if (cli_is_one_of(before, profiles) ||
		 (!strcmp(command, "use") && c->count == 1 && *c->begun != '-'))
		offer_profiles(c);
	else if (*c->begun == '-')
		offer_options(c);
	else if (!c->count)
		offer_commands(c);
	else if (!strcmp(command, "help") || !is_command(command))
		offer_commands(c);
	else if (!strcmp(command, "profile")) {
		for (size_t i = 0; c->count == 1 && i < sizeof of_profile / sizeof *of_profile; i++)
			offer(c, of_profile[i]);
		if (c->count == 2 && (!strcmp(before, "rename") || !strcmp(before, "remove")))
			offer_profiles(c);
	} else if (!strcmp(command, "layout")) {
		for (size_t i = 0; c->count == 1 && i < sizeof of_layout / sizeof *of_layout; i++)
			offer(c, of_layout[i]);
		if (c->count == 2 && strcmp(before, "begin") != 0 && strcmp(before, "take") != 0)
			lurk_own_layout_files_each(&c->cli->ws, offer_own_layout, c);
		else if (c->count == 3 || (c->count == 4 && !strcmp(c->words[1], "copy")))
			offer_keys(c);
	} else if (!strcmp(command, "hwdb") && c->count == 1) {
		for (size_t i = 0; i < sizeof of_hwdb / sizeof *of_hwdb; i++)
			offer(c, of_hwdb[i]);
	} else if (cli_is_one_of(command, of_keys)) {
		offer_keys(c);
		if (!strcmp(command, "map")) {
			offer(c, "nothing");
			offer(c, "itself");
		}
	}
}

int cli_complete(struct cli *cli, int argc, char **argv)
{
	struct complete c = {.cli = cli, .words = argv + 1, .begun = ""};
	char desk[PATH_MAX];
	int words = argc - 1, nowhere;

	if (words && (!strcmp(*c.words, "--help") || !strcmp(*c.words, "--usage")))
		cli_parse_plain(cli, argc, argv,
				"Print what may stand in place of the last word, a line each: for "
				"the completion of bash, zsh and fish.\vExample:\n  lurk complete "
				"-- map Caps");
	if (words && !strcmp(*c.words, "--")) {
		c.words++;
		words--;
	}
	if (words)
		c.begun = c.words[words - 1];
	c.count = words ? (unsigned)words - 1 : 0;
	/* Nothing is said meanwhile, and no desk made, only because somebody pressed Tab. */
	nowhere = open("/dev/null", O_WRONLY | O_CLOEXEC);
	if (nowhere < 0 || dup2(nowhere, STDERR_FILENO) < 0)
		return CLI_COULD_NOT;
	if (cli->desk)
		snprintf(desk, sizeof desk, "%s/desk.yaml", cli->desk);
	if (!cli->desk || access(desk, F_OK) == 0)
		cli_read_files_if_good(cli);
	offer_all(&c);
	return CLI_DONE;
}
