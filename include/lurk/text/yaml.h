/*
 * YAML files as trees in which every node knows where it stands: line and column for messages, byte
 * offsets for edits. Made on libyaml's events, with limits of our own: a file from anywhere may be
 * read.
 */
#ifndef LURK_INCLUDE_TEXT_YAML_H
#define LURK_INCLUDE_TEXT_YAML_H

#include <stdint.h>

#include "lurk/declare.h"
#include "lurk/text/file.h"

LURK_BEGIN_C

enum lurk_node_kind { LURK_NODE_SCALAR, LURK_NODE_LIST, LURK_NODE_MAP };

struct lurk_node {
	enum lurk_node_kind kind;
	bool flow;              /* [ ] or { } */
	bool plain;             /* a scalar without quotes */
	const char *text;       /* a scalar's, NUL-terminated */
	unsigned line, column;  /* from 1; columns count characters */
	size_t start, end;      /* bytes in the file */
	struct lurk_node *key;  /* in a map */
	struct lurk_node *next; /* in a list or map */
	struct lurk_node *first, *last;
	unsigned count;
	struct lurk_node *made_before; /* all nodes of a file, to be freed */
};

struct lurk_yaml {
	const char *path; /* for messages */
	char *bytes;
	size_t length;
	struct lurk_node *root;  /* NULL for a file with nothing but comments */
	struct lurk_node *nodes; /* the last one made */
};

/* Parses `bytes`, which are then the tree's to free. False with a message "path:line:column: …". */
bool lurk_yaml_parse(struct lurk_yaml *yaml, const char *path, char *bytes, size_t length,
		     struct lurk_message *message);
void lurk_yaml_free(struct lurk_yaml *yaml);

/* A file of one map from fields to texts, read back as what they are: texts of several lines as
 * blocks. `pairs` are fields and texts in turn, a NULL text left out. To be freed; NULL where a
 * text cannot be written. */
char *lurk_yaml_write(const char *const *pairs, unsigned count);

/* A copy of the bytes as they are now, to be parsed anew. */
char *lurk_yaml_copy(const struct lurk_yaml *yaml, size_t *length);

/* Sets a message that begins with the node's place; false. */
bool lurk_yaml_say(const struct lurk_yaml *yaml, const struct lurk_node *node,
		   struct lurk_message *message, const char *format, ...) LURK_PRINTF(4, 5);

/* A map's value for a key, NULL where there is none. */
struct lurk_node *lurk_node_get(const struct lurk_node *map, const char *key);
/* Whether a scalar is left empty, as in `gives:` alone. */
bool lurk_node_empty(const struct lurk_node *node);
/* Refuses keys that are not among the names, the last of which is NULL. */
bool lurk_yaml_fields(const struct lurk_yaml *yaml, const struct lurk_node *map, const char *what,
		      const char *const *names, struct lurk_message *message);
/* Reads a scalar "true" or "false". */
bool lurk_yaml_bool(const struct lurk_yaml *yaml, const struct lurk_node *node, bool *value,
		    struct lurk_message *message);

LURK_END_C

#endif
