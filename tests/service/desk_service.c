/* The service's control socket in front of a simulated desk: desk_service FOLDER SOCKET GROUP
 * [everyone], where everyone may ask for the status. Users and groups are those of FOLDER/users and
 * FOLDER/groups. Lines of standard input are played on the
 * desk, each answered with "done"; its end is the end. After the line `slow` the desk's disk takes
 * until `stored`, or `unstored`, which is where it could not. */
#include <poll.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "lurk/desk/computer.h"
#include "service/control.h"

static void say(void *data, const char *line)
{
	(void)data;
	fprintf(stderr, "%s\n", line);
}

static bool play(struct lurk_computer *computer, char *line, size_t length)
{
	FILE *script = fmemopen(line, length, "r");
	struct lurk_message why;
	bool fine = script && lurk_computer_play(computer, "input", script, &why);

	if (script)
		fclose(script);
	puts(fine ? "done" : why.text);
	fflush(stdout);
	return fine;
}

/* What the port of a running machine says of its thread. */
static struct {
	bool slow;
	uint64_t safe; /* the newest version that is */
} disk;

static uint64_t newest(const struct lurk_session *session)
{
	const struct lurk_store_report *store = &session->store;

	return store->newest < 0 ? 0 : store->sequence[store->newest];
}

static bool storing(void *session)
{
	return disk.slow && newest(session) != disk.safe;
}

static bool is_of_disk(const char *line, struct lurk_session *session, struct lurk_control *control)
{
	const bool fails = !strcmp(line, "unstored\n");

	if (strcmp(line, "slow\n") != 0 && strcmp(line, "stored\n") != 0 && !fails)
		return false;
	if (fails)
		lurk_session_unstored(session, LURK_NOBODY, (unsigned)session->store.newest,
				      LURK_ERR_DISK);
	disk.slow = true;
	disk.safe = newest(session);
	lurk_control_stored(control, fails ? LURK_ERR_DISK : LURK_OK);
	puts("done");
	fflush(stdout);
	return true;
}

int main(int argc, char **argv)
{
	struct lurk_computer computer;
	char users[256], groups[256];
	struct lurk_kept_file kept_users = {.path = users, .fd = -1},
			      kept_groups = {.path = groups, .fd = -1};
	const struct lurk_control_options options = {.path = argv[2],
						     .rights = {.users = &kept_users,
								.groups = &kept_groups,
								.group = argv[3],
								.status_for_everyone = argc > 4},
						     .log = say,
						     .storing = storing,
						     .storing_data = &computer.session};
	struct lurk_control *control;
	struct lurk_message why;
	struct pollfd ready[2] = {{STDIN_FILENO, POLLIN, 0}, {-1, POLLIN, 0}};
	char line[512];

	if (argc < 4)
		return 1;
	snprintf(users, sizeof users, "%s/users", argv[1]);
	snprintf(groups, sizeof groups, "%s/groups", argv[1]);
	if (!lurk_computer_open(&computer, argv[1], &why))
		return 1;
	control = lurk_control_open(&computer.session, &options, &why);
	if (!control)
		return 1;
	ready[1].fd = lurk_control_descriptor(control);
	puts("ready");
	fflush(stdout);
	setvbuf(stdin, NULL, _IONBF, 0); /* a line a poll */
	for (;;) {
		poll(ready, 2, -1);
		if (ready[1].revents)
			lurk_control_step(control);
		if (ready[0].revents && !fgets(line, sizeof line, stdin))
			break;
		if (ready[0].revents && !is_of_disk(line, &computer.session, control))
			play(&computer, line, strlen(line));
		lurk_computer_settle(&computer);
		lurk_control_tell(control);
	}
	lurk_control_close(control);
	lurk_kept_forget(&kept_users);
	lurk_kept_forget(&kept_groups);
	lurk_computer_close(&computer);
	return 0;
}
