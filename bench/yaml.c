/* What reading a YAML file costs with the library alone: yaml FILE. */
#include <stdio.h>
#include <yaml.h>

int main(int argc, char **argv)
{
	FILE *file = argc > 1 ? fopen(argv[1], "r") : NULL;
	yaml_parser_t parser;
	yaml_event_t event;
	int ended = 0;

	if (!file || !yaml_parser_initialize(&parser))
		return 1;
	yaml_parser_set_input_file(&parser, file);
	while (!ended) {
		if (!yaml_parser_parse(&parser, &event))
			return 1;
		ended = event.type == YAML_STREAM_END_EVENT;
		yaml_event_delete(&event);
	}
	yaml_parser_delete(&parser);
	fclose(file);
	return 0;
}
