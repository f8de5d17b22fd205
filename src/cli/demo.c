/* demo: the whole story on a simulated desk. Every command shown is run as shown, in a shell, and
 * what stands below it is what it printed. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cli/cli.h"

static const struct step {
	const char *title, *say, *command;
} steps[] = {
	{"The desk",
	 "In a bird hide stands a logging desk with four keyboards: Heron is built in, Wagtail is "
	 "on a\n"
	 "cable, Curlew is a small pad with a knob, Dipper works by cable and by radio. Each is "
	 "odd in its\n"
	 "own way. Who logs birds here has one hand on the telescope.",
	 "lurk keyboards"},
	{"What does that key send?",
	 "Curlew has a key with a feather on it that does nothing anywhere.",
	 "echo 'press Feather on curlew' | lurk identify"},
	{NULL, "It sends a code that nobody gave a name, so it is given a job by that code.",
	 "lurk map hid:07:a5 to LaunchMail --keyboard curlew --note 'the feather key: mail the "
	 "sightings'"},
	{NULL, "It gets a name, too, since nobody remembers such a code.",
	 "lurk keyboards --keyboard curlew --nickname hid:07:a5=Feather"},
	{NULL, "Are the two Enter keys one and the same?",
	 "printf 'press Enter on wagtail\\npress NumpadEnter\\n' | lurk identify --compare"},
	{NULL, "And Wagtail's Tern and Gull keys?",
	 "printf 'press Tern on wagtail\\npress Gull\\n' | lurk identify --compare"},
	{NULL, "Its Fn key does nothing at all. Does it send anything?",
	 "echo 'press Fn on wagtail' | lurk identify --missing"},
	{NULL, "An old note on the desk says only \"key 58\". That can be read in several ways.",
	 "lurk resolve 58"},
	{"Heron's Delete is stuck", "Since the rain something presses itself, with nobody near.",
	 "echo 'wait 61s' | lurk identify --hands-off"},
	{NULL, "And Perch, a hot key, never says that it came up.",
	 "printf 'press Perch on heron\\nwait 2s\\npress Perch\\n' | lurk identify"},
	{NULL, "Both are written down, so that nobody relies on them.",
	 "lurk keyboards --keyboard heron --broken Delete\nlurk keyboards --keyboard heron "
	 "--press-only F13"},
	{NULL, "ScrollLock, which nobody needs, takes over Delete's job.",
	 "lurk move Delete ScrollLock --keyboard heron --note 'stuck since the rain'"},
	{"Logging with one hand",
	 "CapsLock is in reach of the left hand: it shall be an Enter, on every keyboard.",
	 "lurk map CapsLock Enter --note 'the other hand holds the telescope'"},
	{NULL, "Wagtail has Alt and Meta the wrong way round for this desk, on both sides.",
	 "lurk swap Alt Meta --keyboard wagtail"},
	{NULL,
	 "A click of Curlew's knob mutes; it shall be a Space that starts and stops the recorder.",
	 "printf 'press KnobRight on curlew\\npress KnobClick\\n' | lurk identify\n"
	 "lurk map AudioVolumeMute Space --keyboard curlew --note 'recorder'"},
	{NULL, "A slip of the hand is met with a question, not with a wrong rule.",
	 "lurk map delete nothing"},
	{"Is anything needed lost?",
	 "So far these are words in a file, in the order in which they were said.", "lurk show"},
	{NULL, "What is to be known before they come into force:", "lurk check"},
	{NULL, "How will one get to the login prompt, then?",
	 "lurk reach Control+Alt+Delete --profile hide/profile.yaml"},
	{NULL,
	 "What would lock a person out is not applied at all. To clean the keys, say, Enter shall "
	 "do "
	 "nothing,\nand nor shall CapsLock, which is the other Enter by now:",
	 "lurk map 'any Enter' nothing\n"
	 "lurk disable CapsLock\n"
	 "lurk apply"},
	{NULL, NULL, "lurk undo\nlurk undo"},
	{"Tried, then kept",
	 "For half a minute the rules are in force, and nothing is stored: what keys give, and "
	 "then "
	 "as before.",
	 "printf 'press CapsLock on wagtail\\nwait 31s\\npress CapsLock on wagtail\\n' | lurk try"},
	{NULL,
	 "Nothing that rules do can take this away: both Shift keys and Escape, held for two "
	 "seconds, end it.",
	 "cat > stop.desk <<'END'\n"
	 "hold ShiftLeft on wagtail\n"
	 "hold ShiftRight\n"
	 "hold Escape\n"
	 "wait 2s\n"
	 "release Escape\n"
	 "release ShiftRight\n"
	 "release ShiftLeft\n"
	 "press CapsLock\n"
	 "END\n"
	 "lurk try --play stop.desk"},
	{"Into force", "Now they come into force, and stay.", "lurk apply"},
	{NULL,
	 "Pressed on the real keys: what goes over the wire, which key that is, what the computer "
	 "gets.\n"
	 "On Wagtail CapsLock and Enter overlap, and Enter comes up only with the second.",
	 "cat > evening.desk <<'END'\n"
	 "hold CapsLock on wagtail\n"
	 "hold Enter on wagtail\n"
	 "release CapsLock\n"
	 "release Enter\n"
	 "press AltLeft on wagtail\n"
	 "press MetaRight on wagtail\n"
	 "press KnobClick on curlew\n"
	 "press ScrollLock on heron\n"
	 "press Perch on heron\n"
	 "END\n"
	 "lurk play evening.desk"},
	{NULL, "Heron's caps no longer say what its keys do; this does.",
	 "lurk picture --keyboard heron"},
	{"It stays", "The computer starts anew. Nobody types a command; the rules are there.",
	 "printf 'reboot\\npress CapsLock on wagtail\\npress AltRight\\n' | lurk play -"},
	{NULL,
	 "Wagtail is pulled out with a key held down: nothing stays pressed. Plugged in elsewhere, "
	 "it is known again.",
	 "printf 'hold CapsLock on wagtail\\nunplug wagtail\\nplug wagtail in usb-7\\npress "
	 "CapsLock on wagtail\\n' | "
	 "lurk play -"},
	{NULL,
	 "Dipper loses its cable and comes back by radio, with another identity: the same keyboard "
	 "all the same.",
	 "printf 'unplug dipper\\nplug dipper by radio\\npress CapsLock on dipper\\n' | lurk play "
	 "-\nlurk keyboards"},
	{NULL, "Even a power cut in the middle of storing leaves the old rules whole.",
	 "lurk map Pause MediaPlayPause\n"
	 "printf 'cut power after 99 bytes\\napply\\npower on\\npress CapsLock on wagtail\\n' | "
	 "lurk play -\n"
	 "lurk status"},
	{"The way back", "The last edit was not wanted.", "lurk undo"},
	{NULL, "Nor, on second thoughts, is the last apply: its rules go, the file stays.",
	 "lurk undo"},
	{NULL, "What was applied so far is kept, and what each changed; any of it can come back.",
	 "lurk versions\nlurk rollback 1"},
	{NULL, "For every other trouble:", "lurk help back"},
	{NULL,
	 "CapsLock alone goes back to its usual job; the rest shall hold.\n"
	 "Wagtail needs no relay any more: the computer's own table can do what is left.",
	 "lurk restore CapsLock --apply\nlurk status"},
	{"Signs, words, chords",
	 "On Wagtail Shift+3 gives a pound sign, and the log wants a #. And most of the log is one "
	 "and the\nsame word.",
	 "lurk map Shift+3 --text '#' --keyboard wagtail\n"
	 "lurk map F9 --text 'seen 3 teal' --keyboard wagtail\n"
	 "lurk map Pause Meta+C --keyboard wagtail --note 'copies in the log'\n"
	 "lurk apply"},
	{NULL,
	 "Shift is lifted while the # is held, and back afterwards; a spacer is a key that no "
	 "program knows,\nso that none takes Shift to be tapped alone. The word is typed to its "
	 "end, and what is pressed\nmeanwhile comes after it.",
	 "cat > log.desk <<'END'\n"
	 "hold ShiftLeft on wagtail\n"
	 "press Digit3\n"
	 "press KeyA\n"
	 "release ShiftLeft\n"
	 "press F9\n"
	 "press Pause\n"
	 "END\n"
	 "lurk play log.desk"},
	{"Another profile for the long hours",
	 "When nothing flies by, somebody plays. In the game's profile both Meta keys are dead and "
	 "WASD are\nthe arrows; all else is as in the base. F12 leads there and back.",
	 "lurk profile new game --based-on base\n"
	 "lurk disable Meta --profile game\n"
	 "lurk swap W ArrowUp --profile game\n"
	 "lurk swap A ArrowLeft --profile game\n"
	 "lurk swap S ArrowDown --profile game\n"
	 "lurk swap D ArrowRight --profile game\n"
	 "lurk map F12 --use previous --profile game\n"
	 "lurk map F12 --profile game\n"
	 "lurk apply"},
	{NULL, NULL,
	 "printf 'press KeyW on wagtail\\nhold KeyD\\npress F12\\nrelease KeyD\\npress "
	 "KeyW\\npress "
	 "F12\\npress KeyW\\n' | lurk play -\n"
	 "lurk profile list"},
	{NULL, "And when the season is over, everything goes back.",
	 "lurk restore --all --apply\nprintf 'press CapsLock on wagtail\\n' | lurk play -"},
};

static void print_command(const char *command)
{
	char line[256];

	for (const char *at = command; *at;) {
		size_t n = strcspn(at, "\n");

		snprintf(line, sizeof line, "%s %.*s", at == command ? "$" : ">", (int)n, at);
		cli_print_strong(line);
		putchar('\n');
		at += n + (at[n] == '\n');
	}
	fflush(stdout);
}

/* Runs one line or document of a step; its lines are commands of one shell. */
static int run(const char *command, const char *self)
{
	char *script = NULL;
	int status;
	pid_t child;

	if (asprintf(&script, "lurk() { '%s' \"$@\"; }\n%s", self, command) < 0)
		return CLI_COULD_NOT;
	child = fork();
	if (child == 0) {
		dup2(STDOUT_FILENO, STDERR_FILENO);
		execl("/bin/sh", "sh", "-c", script, (char *)NULL);
		_exit(127);
	}
	free(script);
	if (child < 0 || waitpid(child, &status, 0) < 0 || !WIFEXITED(status) ||
	    WEXITSTATUS(status) == 127)
		return CLI_COULD_NOT;
	return WEXITSTATUS(status);
}

/* A here-document stays whole; else each line is a command, shown and run one by one. */
static int run_step(const struct step *step, const char *self)
{
	const char *at = step->command;
	int status = CLI_DONE;

	while (*at && status <= CLI_USAGE) {
		const char *document = strstr(at, "<<'END'"), *end = strchr(at, '\n');
		char one[1024];

		if (document && document < end)
			end = strstr(document, "\nEND\n") + 4;
		if (!end)
			end = at + strlen(at);
		snprintf(one, sizeof one, "%.*s", (int)(end - at), at);
		print_command(one);
		status = run(one, self);
		at = *end ? end + 1 : end;
	}
	putchar('\n');
	return status;
}

static int tell(const char *folder)
{
	char self[PATH_MAX];
	ssize_t n = readlink("/proc/self/exe", self, sizeof self - 1);

	if (n <= 0 || chdir(folder))
		return cli_fail(CLI_COULD_NOT, "%s: %s", folder, strerror(errno));
	self[n] = '\0';
	setenv("LURK_DESK", "hide", 1);
	for (size_t i = 0; i < sizeof steps / sizeof *steps; i++) {
		if (steps[i].title) {
			printf("== ");
			cli_print_strong(steps[i].title);
			puts(" ==\n");
		}
		if (steps[i].say)
			printf("%s\n\n", steps[i].say);
		if (run_step(&steps[i], self) > CLI_USAGE)
			return cli_fail(CLI_COULD_NOT, "the story broke off here");
	}
	puts("That was all of it. On a desk of your own: `lurk --desk FOLDER keyboards`.");
	return CLI_DONE;
}

static void remove_folder(const char *folder)
{
	pid_t child = fork();

	if (child == 0) {
		execlp("rm", "rm", "-rf", "--", folder, (char *)NULL);
		_exit(127);
	}
	if (child > 0)
		waitpid(child, NULL, 0);
}

int cli_demo(struct cli *cli, int argc, char **argv)
{
	char folder[] = "/tmp/lurk-demo-XXXXXX", desk[sizeof folder + 8], state[PATH_MAX];
	int status;

	cli_parse_plain(cli, argc, argv,
			"Tell the whole story on a simulated desk, each step with the command that "
			"does it and its real "
			"output.\vExample:\n  lurk demo");
	if (!mkdtemp(folder))
		return cli_fail(CLI_COULD_NOT, "%s: %s", folder, strerror(errno));
	snprintf(desk, sizeof desk, "%s/hide", folder);
	if (!cli_make_desk(desk, true))
		return CLI_COULD_NOT;
	if (!getcwd(state, sizeof state))
		snprintf(state, sizeof state, "/");
	status = tell(folder);
	if (chdir(state) == 0)
		remove_folder(folder);
	return status;
}
