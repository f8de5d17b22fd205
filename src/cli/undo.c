/* undo: takes back the last edit or apply. What each replaced is kept in a folder, a file a step,
 * numbered in the order in which they were made. */
#include <dirent.h>
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/cli.h"

enum { STEPS_KEPT = 50, STEP_MAX = 1000000, EMPTY_IMAGE = 256, APPLY_MAX = 640 };

struct step {
	unsigned number;
	char path[PATH_MAX]; /* of the step's own file */
	char *bytes;
	size_t length;
	/* Fields of its first lines, in the order in which they stand. */
	char kind[16], summary[512], file[PATH_MAX];
	bool existed;
	uint32_t left;          /* checksum of what the edit left in the file */
	uint64_t before, after; /* sequences of an apply */
	const char *old;
	size_t old_length;
};

/* The steps' numbers: the newest, and how many; 0 where there is none. */
static unsigned newest_step(const struct cli *cli, unsigned *oldest, unsigned *count)
{
	char folder[PATH_MAX];
	struct dirent *entry;
	unsigned newest = 0;
	DIR *dir;

	*oldest = STEP_MAX;
	*count = 0;
	snprintf(folder, sizeof folder, "%.4000s/undo", cli->state_folder);
	dir = opendir(folder);
	while (dir && (entry = readdir(dir))) {
		unsigned number;
		int used = 0;

		if (sscanf(entry->d_name, "%6u%n", &number, &used) != 1 || entry->d_name[used] ||
		    !number)
			continue;
		newest = number > newest ? number : newest;
		*oldest = number < *oldest ? number : *oldest;
		++*count;
	}
	if (dir)
		closedir(dir);
	return newest;
}

static void step_path(const struct cli *cli, unsigned number, char path[PATH_MAX])
{
	snprintf(path, PATH_MAX, "%.4000s/undo/%06u", cli->state_folder, number);
}

/* Enough to tell whether a file is as Lurk left it (FNV-1a). */
static uint32_t checksum(const char *bytes, size_t length)
{
	uint32_t sum = 2166136261;

	for (size_t i = 0; i < length; i++)
		sum = (sum ^ (uint8_t)bytes[i]) * 16777619;
	return sum;
}

static bool note(struct cli *cli, const char *head, const char *bytes, size_t length)
{
	unsigned oldest, count, newest = newest_step(cli, &oldest, &count);
	size_t n = strlen(head);
	char *text = malloc(n + length + 1), path[PATH_MAX];
	struct lurk_message why;
	bool fine, taken;

	if (!text)
		abort();
	memcpy(text, head, n + 1);
	if (length)
		memcpy(text + n, bytes, length);
	do /* somebody else may have taken that number just now */
		step_path(cli, ++newest, path);
	while (!(fine = lurk_file_add_secret(path, text, n + length, &taken, &why)) && taken);
	free(text);
	if (!fine)
		cli_fail(CLI_DONE, "this step cannot be undone: %s", why.text);
	if (fine && count >= STEPS_KEPT) {
		step_path(cli, oldest, path);
		unlink(path);
	}
	return fine;
}

bool cli_note_edit(struct cli *cli, const char *path, const char *old, size_t length, bool existed,
		   const char *fresh, size_t fresh_length, const char *summary)
{
	char head[PATH_MAX + 640];

	snprintf(head, sizeof head, "edit\n%.511s\n%s\n%d %" PRIu32 "\n", summary, path, existed,
		 checksum(fresh, fresh_length));
	return note(cli, head, old, length);
}

static void write_apply(uint64_t before, uint64_t after, const char *summary, char head[APPLY_MAX])
{
	snprintf(head, APPLY_MAX, "apply\n%.511s\n%" PRIu64 " %" PRIu64 "\n", summary, before,
		 after);
}

bool cli_note_apply(struct cli *cli, uint64_t before, uint64_t after, const char *summary)
{
	char head[APPLY_MAX];

	write_apply(before, after, summary, head);
	return note(cli, head, "", 0);
}

/* ---- Taking back ---------------------------------------------------------------------------- */

static const char *take_line(const char *at, char *out, size_t size)
{
	size_t n = strcspn(at, "\n");

	snprintf(out, size, "%.*s", (int)(n < size ? n : size - 1), at);
	return at[n] ? at + n + 1 : at + n;
}

static bool read_step(const struct cli *cli, unsigned number, struct step *step)
{
	struct lurk_message why;
	const char *at;
	char line[64];
	bool exists;

	memset(step, 0, sizeof *step);
	step->number = number;
	step_path(cli, number, step->path);
	if (!lurk_file_read(step->path, &step->bytes, &step->length, &exists, &why)) {
		cli_fail(CLI_COULD_NOT, "%s", why.text);
		return false;
	}
	at = take_line(step->bytes, step->kind, sizeof step->kind);
	at = take_line(at, step->summary, sizeof step->summary);
	if (!strcmp(step->kind, "edit")) {
		int existed = 0;

		at = take_line(at, step->file, sizeof step->file);
		at = take_line(at, line, sizeof line);
		if (sscanf(line, "%d %" SCNu32, &existed, &step->left) == 2) {
			step->existed = existed;
			step->old = at;
			step->old_length = step->length - (size_t)(at - step->bytes);
			return true;
		}
	} else if (!strcmp(step->kind, "apply")) {
		take_line(at, line, sizeof line);
		if (sscanf(line, "%" SCNu64 " %" SCNu64, &step->before, &step->after) == 2)
			return true;
	}
	cli_fail(CLI_COULD_NOT, "%s: damaged; remove it to undo what came before", step->path);
	free(step->bytes);
	return false;
}

static int undo_edit(struct cli *cli, const struct step *step)
{
	struct lurk_message why;
	struct lurk_file_seen now;
	bool unchanged, done;

	if (!lurk_file_read(step->file, &now.bytes, &now.length, &now.exists, &why))
		return cli_fail(CLI_COULD_NOT, "%s; so the last edit cannot be taken back",
				why.text);
	unchanged = checksum(now.bytes, now.length) == step->left;
	done = unchanged &&
	       (step->existed
			? lurk_file_replace(step->file, step->old, step->old_length, &now, &why)
			: unlink(step->file) == 0 ||
				  lurk_say(&why, "%s: cannot be put back", step->file));
	free(now.bytes);
	if (!unchanged)
		return cli_fail(CLI_COULD_NOT,
				"%s was changed by someone else since the last edit (%s); nothing "
				"is undone",
				step->file, step->summary);
	if (!done)
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	if (cli->json)
		return CLI_DONE;
	printf("Took back the last edit: %s.\n", step->summary);
	printf("%s is as before it. What is in force has not changed; `lurk apply` puts the file "
	       "into force.\n",
	       step->file);
	return CLI_DONE;
}

bool cli_old_image(struct cli_machine *machine, uint64_t sequence, uint8_t **bytes, size_t *length)
{
	static const struct lurk_profile nothing = {.name = {"none", 4}};
	static const struct lurk_image_parts parts = {&nothing, 1, NULL, 0};

	if (sequence)
		return cli_machine_stored(machine, sequence, bytes, length);
	*bytes = malloc(EMPTY_IMAGE);
	if (!*bytes)
		abort();
	return lurk_image_write(&parts, *bytes, EMPTY_IMAGE, length) == LURK_OK;
}

bool cli_go_back(struct cli_machine *machine, const uint8_t *bytes, size_t length,
		 struct cli_outcome *outcome)
{
	struct lurk_profile start = {0}, old_start = {0};
	struct lurk_image image;
	bool same;

	if (machine->image && machine->image->profile_count)
		lurk_image_profile(machine->image, 0, &start);
	if (lurk_image_open(bytes, length, &image) == LURK_OK && image.profile_count)
		lurk_image_profile(&image, 0, &old_start);
	same = start.word.length == old_start.word.length &&
	       (!start.word.length ||
		!strncasecmp(start.word.bytes, old_start.word.bytes, start.word.length));
	return cli_machine_apply(machine, bytes, length, same ? machine->profile : NULL, outcome);
}

/* What an apply put there is there again, under a new number: the apply itself can be taken back
 * next. */
static void renumber(const struct cli *cli, unsigned below, uint64_t was, uint64_t is)
{
	unsigned oldest, count;
	bool done = false;

	newest_step(cli, &oldest, &count);
	while (!done && --below >= oldest) {
		char head[APPLY_MAX];
		struct lurk_message why;
		struct step step;

		if (!read_step(cli, below, &step))
			return;
		done = *step.kind == 'a';
		if (done && step.after == was) {
			write_apply(step.before, is, step.summary, head);
			lurk_file_write(step.path, head, strlen(head), &why);
		}
		free(step.bytes);
	}
}

static int undo_apply(struct cli *cli, const struct step *step)
{
	struct cli_machine *machine = cli_machine(cli);
	struct cli_outcome outcome;
	const struct lurk_image *now;
	uint8_t *bytes = NULL;
	size_t length;
	bool fine;

	if (!machine)
		return CLI_COULD_NOT;
	now = machine->image;
	if (!now || now->sequence != step->after)
		return cli_fail(
			CLI_COULD_NOT,
			"what is in force is not what the last apply put there; nothing is undone");
	if (!cli_old_image(machine, step->before, &bytes, &length)) {
		return cli_fail(
			CLI_COULD_NOT,
			"the rules in force before are not stored any more; nothing is undone");
	}
	fine = cli_go_back(machine, bytes, length, &outcome);
	free(bytes);
	if (!fine)
		return cli_fail(CLI_COULD_NOT, "the rules of before cannot be applied: %s",
				outcome.why.text);
	renumber(cli, step->number, step->before, machine->image->sequence);
	if (cli->json)
		return CLI_DONE;
	printf("Took back the last apply: %s.\n", step->summary);
	cli_tell_locks(cli, &outcome.report);
	printf("In force now: %s. The file has not changed.\n",
	       machine->image->rule_count ? "the rules of before it" : "no rule");
	return CLI_DONE;
}

int cli_undo(struct cli *cli, int argc, char **argv)
{
	unsigned oldest, count, newest;
	struct step step;
	int status;

	cli_parse_plain(cli, argc, argv,
			"Take back the last edit or the last apply, whichever came last; again, "
			"the one before."
			"\vExample:\n  lurk undo");
	cli->editing = true;
	if (!cli_read_files_if_good(cli))
		return CLI_COULD_NOT;
	newest = newest_step(cli, &oldest, &count);
	if (!newest) {
		if (cli->json)
			puts("{\"undid\":null}");
		else
			puts("There is nothing to undo.");
		return CLI_FOUND;
	}
	if (!read_step(cli, newest, &step))
		return CLI_COULD_NOT;
	status = *step.kind == 'e' ? undo_edit(cli, &step) : undo_apply(cli, &step);
	if (status == CLI_DONE) {
		unlink(step.path);
		if (cli->json) {
			struct json_object *object = json_object_new_object();

			json_object_object_add(object, "undid", json_object_new_string(step.kind));
			json_object_object_add(object, "what",
					       json_object_new_string(step.summary));
			cli_print_json(object);
		}
	}
	free(step.bytes);
	return status;
}
