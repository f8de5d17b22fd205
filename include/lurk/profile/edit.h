/*
 * Edits of YAML files as text: comments, blank lines and the order of everything else stay as they
 * are. Each edit changes the bytes and parses them anew, so that the tree always is the text's.
 */
#ifndef LURK_INCLUDE_PROFILE_EDIT_H
#define LURK_INCLUDE_PROFILE_EDIT_H

#include "lurk/declare.h"
#include "lurk/text/yaml.h"

LURK_BEGIN_C

/* A field as it is to be written: the value is YAML already. */
struct lurk_field {
	const char *name, *value;
};

/* Writes a text as a YAML scalar, with quotes where it needs them; to be freed. */
char *lurk_yaml_scalar(const char *text);

/* Adds an item of fields at the end of the list that `list_name` names at the top of the file; the
 * list is made where there is none. */
bool lurk_edit_append(struct lurk_yaml *yaml, const char *list_name,
		      const struct lurk_field *fields, size_t count, struct lurk_message *message);

/* Adds a field to the map that `map_name` names at the top of the file; the map is made where there
 * is none. */
bool lurk_edit_name(struct lurk_yaml *yaml, const char *map_name, const struct lurk_field *field,
		    struct lurk_message *message);

/* Takes an item out of its list. Comments inside it stay, on lines of their own. */
bool lurk_edit_remove(struct lurk_yaml *yaml, const struct lurk_node *list,
		      const struct lurk_node *item, struct lurk_message *message);

/* Gives a field of a map another value; adds the field where it is not there. */
bool lurk_edit_set(struct lurk_yaml *yaml, const struct lurk_node *map,
		   const struct lurk_field *field, struct lurk_message *message);

LURK_END_C

#endif
