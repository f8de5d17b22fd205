/* demo: the whole story on a simulated desk. Every command shown is run as shown, in a shell, and
 * what stands below it is what it printed. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cli/commands.h"
#include "lurk/text/memory.h"
#include "lurk/text/yaml.h"

/* demo/story.yaml */
extern const char cli_demo_story[];

static void print_command(const char *command)
{
	char line[256];

	for (const char *at = command; *at;) {
		size_t n = strcspn(at, "\n");

		snprintf(line, sizeof line, "%s %.*s", at == command ? "$" : ">", (int)n, at);
		term_strong(line);
		putchar('\n');
		at += n + (at[n] == '\n');
	}
	fflush(stdout);
}

/* Runs one line or document of a step; its lines are commands of one shell. */
static int run(const char *command, const char *self)
{
	char *script;
	int status;
	pid_t child;

	script = lurk_print("lurk() { '%s' \"$@\"; }\n%s", self, command);
	child = fork();
	if (child == 0) {
		dup2(STDOUT_FILENO, STDERR_FILENO);
		execl("/bin/sh", "sh", "-c", script, (char *)NULL);
		_exit(127);
	}
	lurk_release(script);
	if (child < 0 || waitpid(child, &status, 0) < 0 || !WIFEXITED(status) ||
	    WEXITSTATUS(status) == 127)
		return CLI_COULD_NOT;
	return WEXITSTATUS(status);
}

/* A here-document stays whole; else each line is a command, shown and run one by one. */
static int run_step(const char *at, const char *self)
{
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

static const char *text_of(const struct lurk_node *step, const char *name)
{
	const struct lurk_node *node = lurk_node_get(step, name);

	return node ? node->text : NULL;
}

static int tell_step(const struct lurk_node *step, const char *self)
{
	if (text_of(step, "title")) {
		printf("== ");
		term_strong(text_of(step, "title"));
		puts(" ==\n");
	}
	if (text_of(step, "say"))
		printf("%s\n\n", text_of(step, "say"));
	return run_step(text_of(step, "run"), self);
}

static int tell(const char *folder)
{
	const size_t length = strlen(cli_demo_story);
	char self[PATH_MAX];
	ssize_t n = readlink("/proc/self/exe", self, sizeof self - 1);
	struct lurk_message why;
	struct lurk_yaml yaml;
	bool fine = true;

	if (n <= 0 || chdir(folder))
		return cli_fail(CLI_COULD_NOT, "%s: %s", folder, strerror(errno));
	self[n] = '\0';
	setenv("LURK_DESK", "hide", 1);
	if (!lurk_yaml_parse(&yaml, "story", lurk_copy(cli_demo_story, length), length, &why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	for (const struct lurk_node *step = lurk_node_get(yaml.root, "story")->first; step && fine;
	     step = step->next)
		fine = tell_step(step, self) <= CLI_USAGE;
	lurk_yaml_free(&yaml);
	if (!fine)
		return cli_fail(CLI_COULD_NOT, "the story broke off here");
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
