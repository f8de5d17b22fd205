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
	{NULL, "Are the two Enter keys one and the same?",
	 "printf 'press Enter on wagtail\\npress NumpadEnter\\n' | lurk identify"},
	{NULL,
	 "They mean the same and send different codes: each can be changed without the other.",
	 "lurk resolve Enter NumpadEnter"},
	{NULL,
	 "Wagtail's Tern and Gull keys cannot be told apart by any program: one code for both.",
	 "printf 'press Tern on wagtail\\npress Gull\\n' | lurk identify"},
	{NULL, "And its Fn key stays inside the keyboard.",
	 "echo 'press Fn on wagtail' | lurk identify"},
	{NULL, "An old note on the desk says only \"key 58\". That can be read in several ways.",
	 "lurk resolve 58"},
	{"Heron's Delete is stuck",
	 "Since the rain it presses itself, with nobody near. Perch, a hot key, never says that it "
	 "came up.",
	 "printf 'wait 21s\\npress Perch on heron\\n' | lurk identify"},
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
	{"Into force", "So far these are words in a file, in the order in which they were said.",
	 "lurk show"},
	{NULL, "Now they come into force, and stay.", "lurk apply"},
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
	{NULL,
	 "CapsLock alone goes back to its usual job; the rest shall hold.\n"
	 "Wagtail needs no relay any more: the computer's own table can do what is left.",
	 "lurk restore CapsLock --apply\nlurk status"},
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
