/* What is typed meanwhile neither shows nor waits for the shell. */
#include "terminal/watch.h"

#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <termios.h>
#include <unistd.h>

enum { DRAIN_MS = 100 };

struct terminal {
	const struct term_watch *watch;
	void *data;
};

static volatile sig_atomic_t interrupted;

static void on_interrupt(int signal)
{
	(void)signal;
	interrupted = 1;
}

static bool take_typed(void *data)
{
	const struct terminal *t = data;
	char typed[64];
	ssize_t n = read(STDIN_FILENO, typed, sizeof typed);
	bool going = true;

	for (ssize_t i = 0; t->watch->typed && going && i < n; i++)
		going = t->watch->typed(t->data, typed[i]);
	return going;
}

/* What was typed, and is still on its way through the terminal, is not for the shell. */
static void drain(void)
{
	struct pollfd typed = {STDIN_FILENO, POLLIN, 0};
	char bytes[64];

	while (poll(&typed, 1, DRAIN_MS) > 0 && read(STDIN_FILENO, bytes, sizeof bytes) > 0)
		;
}

static void ask(void *data)
{
	const struct terminal *t = data;

	if (t->watch->prompt)
		fprintf(stderr, "%s\n", t->watch->prompt);
}

bool term_watch(struct lurk_machine *machine, const struct term_watch *watch,
		struct lurk_message *message)
{
	struct lurk_watching watching = watch->watching;
	struct terminal t = {watch, watching.data};
	struct sigaction on = {.sa_handler = on_interrupt}, before;
	struct termios silent, terminal;
	bool tty = tcgetattr(STDIN_FILENO, &terminal) == 0, fine;

	interrupted = 0;
	watching.stop = &interrupted;
	watching.also_data = &t;
	watching.begun = ask;
	sigaction(SIGINT, &on, &before);
	if (tty) {
		silent = terminal;
		silent.c_lflag &= ~(tcflag_t)(ECHO | ICANON);
		tcsetattr(STDIN_FILENO, TCSANOW, &silent);
		watching.also_fd = STDIN_FILENO;
		watching.also = take_typed;
	}
	fine = lurk_machine_watch(machine, &watching, message);
	if (tty) {
		drain();
		tcsetattr(STDIN_FILENO, TCSAFLUSH, &terminal);
	}
	sigaction(SIGINT, &before, NULL);
	return fine;
}
