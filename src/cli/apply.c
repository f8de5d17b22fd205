/* apply: the profile into force. */
#include <stdlib.h>

#include "cli/cli.h"

static const char *error_words(struct cli *cli, enum lurk_error error,
			       const struct lurk_apply_report *report, struct lurk_message *message)
{
	const struct lurk_profile_file *file = &cli->profile;
	uint32_t one = report->compile.rules[0], two = report->compile.rules[1];

	if (error == LURK_ERR_CONFLICT && one < file->count && two < file->count)
		lurk_say(message,
			 "%s: the rules on lines %u and %u are for the same key on %s; nothing was "
			 "changed",
			 cli->profile_path, file->rules[one].line, file->rules[two].line,
			 cli_keyboard_name(cli, report->keyboard));
	else
		lurk_say(message, "nothing was changed: %s", lurk_error_text(error));
	return message->text;
}

bool cli_apply_profile(struct cli *cli, struct lurk_message *message)
{
	struct lurk_computer *computer = cli_computer(cli);
	const struct lurk_image *image;
	struct lurk_apply_report report;
	uint64_t before;
	enum lurk_error error;
	uint8_t *bytes;
	size_t length;
	char summary[64];

	if (!computer)
		return lurk_say(message, "there is no computer to apply to");
	bytes = lurk_profile_image(&cli->profile, &cli->keyboards, &length, message);
	if (!bytes)
		return false;
	image = lurk_session_image(&computer->session);
	before = image ? image->sequence : 0;
	error = lurk_session_apply(&computer->session, bytes, length, &report);
	free(bytes);
	if (error) {
		error_words(cli, error, &report, message);
		return false;
	}
	lurk_computer_settle(computer);
	cli_count(cli->profile.count, "rule", summary);
	cli_note_apply(cli, before, lurk_session_image(&computer->session)->sequence, summary);
	return true;
}

int cli_apply(struct cli *cli, int argc, char **argv)
{
	struct lurk_message why;
	struct json_object *object;
	char rules[48];

	cli_parse_plain(
		cli, argc, argv,
		"Put the profile into force now, and store it so that it will be after a reboot."
		"\vExamples:\n  lurk apply\n  lurk apply --profile /media/stick/profile.yaml");
	if (!cli_read_files(cli) || !cli_computer(cli))
		return CLI_COULD_NOT;
	if (!cli->profile_exists)
		return cli_fail(CLI_COULD_NOT,
				"%s: there is no such profile yet; `lurk map KEY RESULT` makes it",
				cli->profile_path);
	if (!cli_apply_profile(cli, &why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	if (cli->json) {
		object = json_object_new_object();
		json_object_object_add(object, "applied",
				       json_object_new_string(cli->profile_path));
		json_object_object_add(object, "rules", json_object_new_int64(cli->profile.count));
		json_object_object_add(object, "after_reboot", json_object_new_boolean(true));
		json_object_object_add(object, "keyboards", cli_ways_json(cli));
		cli_print_json(object);
		return CLI_DONE;
	}
	printf("In force now, and again after every reboot: %s from %s.\n",
	       cli_count(cli->profile.count, "rule", rules), cli->profile_path);
	cli_print_ways(cli);
	puts("`lurk undo` takes this back.");
	return CLI_DONE;
}
