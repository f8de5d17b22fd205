/* lurkd: the service. Brings the stored rules into force on every keyboard, now and as they come,
 * and answers the control socket. Idle, it sleeps. */
#include <argp.h>
#include <errno.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
#include <sys/signalfd.h>
#include <sys/stat.h>
#include <unistd.h>

#include "core/hot.h"
#include "lurk/linux/linux.h"
#include "service/control.h"
#include "service/news.h"
#include "service/protocol.h"
#include "service/resident.h"
#include "service/rights.h"
#include "service/supervisor.h"

const char *argp_program_version = "lurkd " LURK_VERSION;

enum { KEYMAP_SIZE = 1 << 22, LEAVE_US = 2000000 };
enum { OPTION_RESTORE = 1000, OPTION_EVERYONE, OPTION_WATCH, OPTION_PERSONS, OPTION_TABLES };

struct options {
	const char *socket, *state, *tables, *group, *persons;
	bool restore, everyone, watch_by_root;
};

struct service {
	struct options options;
	struct lurk_linux *machine;
	struct lurk_port *port;
	struct lurk_session session;
	struct lurk_session_memory memory;
	struct lurk_control *control;
	struct lurk_supervisor supervisor;
	struct lurk_news news;
	struct lurk_kept_file users, groups;
	int signals, storing;
	bool ready, ending;
};

/* ---- Log: what news.h says, applied, refused; never a key ------------------------------------ */

static void say(void *data, const char *line)
{
	(void)data;
	fprintf(stderr, "%s\n", line);
}

/* After the session did something: what is to be logged, and whether the watchdog is needed. */
static RARE void look_at_changes(struct service *s)
{
	bool relayed = false;

	if (s->control)
		lurk_control_tell(s->control);
	if (!lurk_news_tell(&s->news, &s->session))
		return;
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++)
		relayed = relayed || s->memory.keyboards[i].taken;
	lurk_supervisor_watch(&s->supervisor, relayed);
}

/* ---- Starting -------------------------------------------------------------------------------- */

/* The way back that needs no running system: a word on the kernel's command line. */
static bool switched_off_by_kernel(void)
{
	char line[4096] = "", *rest = line, *word;
	FILE *file = fopen("/proc/cmdline", "re");
	bool off = false;

	if (file && fgets(line, sizeof line, file)) {
		while ((word = strsep(&rest, " \n")))
			off = off || !strcmp(word, "lurk.off");
	}
	if (file)
		fclose(file);
	return off;
}

/* The first word of the file that is no comment; everything where there is no file. Where it says
 * something else, nothing: whoever wrote it meant to forbid something. */
static enum lurk_own read_own(struct service *s)
{
	FILE *file = fopen(s->options.persons, "re");
	char line[256] = "", word[32] = "";

	if (!file && errno == ENOENT)
		return LURK_OWN_EVERYTHING;
	while (file && !*word && fgets(line, sizeof line, file)) {
		if (*line != '#')
			sscanf(line, "%31s", word);
	}
	if (file)
		fclose(file);
	for (int own = LURK_OWN_NOTHING; own <= LURK_OWN_EVERYTHING; own++) {
		if (!strcmp(word, lurk_own_words[own]))
			return (enum lurk_own)own;
	}
	snprintf(line, sizeof line,
		 "%.100s: %s: persons have no rules of their own until it says nothing, keys, "
		 "no-text or everything",
		 s->options.persons, *word ? "is not understood" : "cannot be read");
	say(s, line);
	return LURK_OWN_NOTHING;
}

static void make_memory(struct lurk_session_memory *m)
{
	void *block =
		malloc(lurk_session_size(LURK_LINUX_KEYBOARDS, LURK_LINUX_SLOT_SIZE, KEYMAP_SIZE));

	if (!block)
		abort();
	lurk_session_divide(m, block, LURK_LINUX_KEYBOARDS, LURK_LINUX_SLOT_SIZE, KEYMAP_SIZE);
}

static void free_memory(struct lurk_session_memory *m)
{
	free(m->keyboards); /* the block begins there */
}

/* Returns when it has to be called again though nothing happens. */
static uint64_t run_session(struct service *s)
{
	const uint64_t until_us = lurk_session_run(&s->session);

	if (s->news.changes == s->session.changes)
		return until_us;
	look_at_changes(s);
	/* Who does not hear of it is shut out, and with that client what it had asked for. */
	return lurk_session_deadline(&s->session);
}

static bool start(struct service *s, struct lurk_message *message)
{
	enum lurk_error error;
	char line[256];

	s->machine = lurk_linux_new(s->options.state, s->options.tables, message);
	if (!s->machine)
		return false;
	s->port = lurk_linux_port(s->machine);
	make_memory(&s->memory);
	error = lurk_session_start(&s->session, &s->memory, s->port);
	if (error) {
		snprintf(line, sizeof line, "stored rules cannot be read: %s",
			 lurk_error_text(error));
		say(s, line);
	}
	if (*s->port->calls->trouble(s->port)) {
		snprintf(line, sizeof line, "nothing can be stored: %.200s",
			 s->port->calls->trouble(s->port));
		say(s, line);
	}
	if (s->session.store.newest < 0)
		say(s, "no rules are stored: every key does its usual job");
	return true;
}

/* Takes back what a service that died left in the tables. */
static int restore(struct service *s, struct lurk_message *message)
{
	if (!start(s, message))
		return 1;
	for (unsigned i = 0; i < LURK_SESSION_PARTS; i++)
		s->session.mode.off[i].now = true;
	lurk_session_run(&s->session);
	lurk_session_stop(&s->session);
	return 0;
}

static bool storing(void *data)
{
	return lurk_linux_storing(((struct service *)data)->machine);
}

/* A slow disk keeps nobody's keys waiting, and whoever asked gets the answer when it is there. */
static void store_later(struct service *s)
{
	s->storing = lurk_linux_store_later(s->machine);
	if (s->storing >= 0)
		lurk_linux_add(s->machine, s->storing);
}

static void look_at_stored(struct service *s)
{
	struct lurk_linux_stored what;

	if (!lurk_linux_stored(s->machine, &what))
		return;
	if (what.error) {
		lurk_session_unstored(&s->session, what.owner, what.slot, what.error);
		say(s, s->port->calls->trouble(s->port));
	}
	lurk_control_stored(s->control, what.error);
}

static bool open_all(struct service *s, struct lurk_message *message)
{
	const enum lurk_own own = read_own(s);
	const struct lurk_control_options control = {
		.path = s->options.socket,
		.rights = {.users = &s->users,
			   .groups = &s->groups,
			   .group = s->options.group,
			   .own = own,
			   .status_for_everyone = s->options.everyone,
			   .watch_by_root = s->options.watch_by_root},
		.log = say,
		.storing = storing,
		.storing_data = s,
	};
	sigset_t signals;

	sigemptyset(&signals);
	sigaddset(&signals, SIGTERM);
	sigaddset(&signals, SIGINT);
	sigprocmask(SIG_BLOCK, &signals, NULL);
	s->signals = signalfd(-1, &signals, SFD_CLOEXEC | SFD_NONBLOCK);
	if (s->signals < 0)
		return lurk_say(message, "cannot start: %s", strerror(errno));
	if (!start(s, message))
		return false;
	lurk_session_allow(&s->session, own);
	if (own && !lurk_rights_know_persons())
		say(s, "systemd-logind does not tell who is at a screen: there are only the "
		       "computer's rules");
	run_session(s);
	store_later(s);
	s->control = lurk_control_open(&s->session, &control, message);
	if (!s->control)
		return false;
	lurk_linux_add(s->machine, lurk_control_descriptor(s->control));
	lurk_linux_add(s->machine, s->signals);
	if (s->supervisor.timer >= 0)
		lurk_linux_add(s->machine, s->supervisor.timer);
	return true;
}

/* ---- Running --------------------------------------------------------------------------------- */

static void ready(void *data, int fd)
{
	struct service *s = data;

	if (fd == s->signals) {
		s->ending = true;
	} else if (fd == s->supervisor.timer) {
		lurk_supervisor_alive(&s->supervisor);
	} else if (fd == s->storing) {
		look_at_stored(s);
	} else {
		run_session(s); /* who changes rules means the keyboards that are here now */
		lurk_control_step(s->control);
	}
}

/* Said once: whoever started the service may go on when rules are in force, also on a keyboard that
 * was in use and whose stand-in programs have to open first. */
static void tell_ready(struct service *s)
{
	bool waits = false;

	for (uint16_t i = 0; i < s->memory.keyboard_count; i++)
		waits = waits || s->memory.keyboards[i].waits;
	if (waits)
		return;
	s->ready = true;
	lurk_supervisor_ready("rules in force");
}

static HOT void run(struct service *s)
{
	uint64_t until_us = run_session(s);

	while (!s->ending) {
		if (!s->ready)
			tell_ready(s);
		lurk_linux_wait(s->machine, until_us, ready, s);
		until_us = run_session(s);
	}
}

/* Keyboards are given back as their keys come up; the others after a while. */
static void leave(struct service *s)
{
	const uint64_t until = s->port->calls->elapsed(s->port) + LEAVE_US;

	while (!lurk_session_leave(&s->session) && s->port->calls->elapsed(s->port) < until) {
		uint64_t due = lurk_session_deadline(&s->session);

		lurk_linux_wait(s->machine, due < until ? due : until, NULL, NULL);
		lurk_session_run(&s->session);
	}
	lurk_session_stop(&s->session);
}

static void stop(struct service *s)
{
	lurk_supervisor_stopping();
	lurk_control_close(s->control);
	if (s->machine)
		leave(s);
	lurk_linux_free(s->machine);
	lurk_supervisor_close(&s->supervisor);
	lurk_kept_forget(&s->users);
	lurk_kept_forget(&s->groups);
	free_memory(&s->memory);
}

/* ---- Options --------------------------------------------------------------------------------- */

static const struct argp_option option_table[] = {
	{"socket", 's', "PATH", 0, "The control socket (default: /run/lurk/control)", 0},
	{"state", 'S', "FOLDER", 0, "Where rules are stored (default: /var/lib/lurk/rules)", 0},
	{"tables", OPTION_TABLES, "FOLDER", 0,
	 "Where is written what the kernel's tables held, until the computer is started anew; "
	 "best in memory (default: /run/lurk/tables)",
	 0},
	{"group", 'g', "NAME", 0, "Whose members may change rules, as root may (default: lurk)", 0},
	{"persons", OPTION_PERSONS, "FILE", 0,
	 "What rules of their own the person at a screen may have: a file with one of the words "
	 "nothing, keys, no-text, everything (default: /etc/lurk/persons; everything where it is "
	 "not there)",
	 0},
	{"status-for-everyone", OPTION_EVERYONE, NULL, 0, "Every user may ask what is in force", 0},
	{"watch-by-root", OPTION_WATCH, NULL, 0,
	 "Only root may watch keys; else the person at the screen may as well, and with that "
	 "person any program of theirs",
	 0},
	{"restore", OPTION_RESTORE, NULL, 0,
	 "Only put the kernel's tables back as they were before Lurk, and end", 0},
	{0},
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct options *options = state->input;

	switch (key) {
	case 's':
		options->socket = arg;
		return 0;
	case 'S':
		options->state = arg;
		return 0;
	case OPTION_TABLES:
		options->tables = arg;
		return 0;
	case 'g':
		options->group = arg;
		return 0;
	case OPTION_PERSONS:
		options->persons = arg;
		return 0;
	case OPTION_EVERYONE:
		options->everyone = true;
		return 0;
	case OPTION_WATCH:
		options->watch_by_root = true;
		return 0;
	case OPTION_RESTORE:
		options->restore = true;
		return 0;
	case ARGP_KEY_ARG:
		argp_error(state, "`%s` is not expected here", arg);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

int main(int argc, char **argv)
{
	static const struct argp argp = {
		option_table,
		parse_option,
		"",
		"Bring the stored rules into force on every keyboard, and answer the lurk command. "
		"Started by the system; `lurk.off` on the kernel's command line keeps it from "
		"doing anything."
		"\vExample:\n  lurkd --status-for-everyone",
		NULL,
		NULL,
		NULL};
	struct service *s = calloc(1, sizeof *s);
	struct lurk_message why = {""};
	int status = 0;

	if (!s)
		abort();
	s->options = (struct options){LURK_CONTROL_PATH,
				      "/var/lib/lurk/rules",
				      "/run/lurk/tables",
				      "lurk",
				      "/etc/lurk/persons",
				      false,
				      false,
				      false};
	s->users = (struct lurk_kept_file){.path = "/etc/passwd", .fd = -1};
	s->groups = (struct lurk_kept_file){.path = "/etc/group", .fd = -1};
	argp_parse(&argp, argc, argv, 0, NULL, &s->options);
	setvbuf(stderr, NULL, _IOLBF, BUFSIZ);
	s->news.say = say;
	umask(0077);
	/* Its memory has seen keys: no core file, no debugger. */
	prctl(PR_SET_DUMPABLE, 0);
	/* Room for large rule sets is only touched as far as it is used. */
	prctl(PR_SET_THP_DISABLE, 1, 0, 0, 0);
	lurk_stay_resident();
	s->supervisor.timer = -1;
	if (s->options.restore) {
		status = restore(s, &why);
	} else if (switched_off_by_kernel()) {
		say(s, "lurk.off is on the kernel's command line: nothing is done");
	} else {
		lurk_supervisor_open(&s->supervisor);
		if (open_all(s, &why))
			run(s);
		else
			status = 1;
	}
	if (status)
		fprintf(stderr, "lurkd: %s\n", why.text);
	stop(s);
	free(s);
	return status;
}
