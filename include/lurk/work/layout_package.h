/*
 * A layout in one file, to be sent to somebody: the symbols file of a layout of one's own, what
 * comes after its dead keys, rules that belong to it, and what it is for. It is YAML, and can be
 * read before it is taken. Nothing in it can run, or reach a file of whoever takes it: each text is
 * only what it is said to be, and the layout includes what the system has.
 *
 *     lurk-layout: 1
 *     name: reedbed
 *     about: males, females and the ellipsis
 *     keyboard: Heron, compact
 *     symbols: |
 *       default partial alphanumeric_keys
 *       …
 *     compose: |
 *       <dead_caron> <q> : "ɋ"
 *     profile: |
 *       lurk: 1
 *       rules: …
 *
 * A symbols file alone is taken as well, and so is an LDML keyboard (lurk/layout/ldml.h).
 */
#ifndef LURK_INCLUDE_WORK_LAYOUT_PACKAGE_H
#define LURK_INCLUDE_WORK_LAYOUT_PACKAGE_H

#include "lurk/declare.h"
#include "lurk/layout/ldml.h"
#include "lurk/work/own_layouts.h"

LURK_BEGIN_C

/* Texts are the package's, "" where it has none. */
struct lurk_layout_package {
	char name[LURK_OWN_NAME];
	const char *about, *keyboard, *symbols, *compose;
	struct lurk_yaml yaml;
	struct lurk_profile_file profile; /* its rules */
	bool has_profile;
	struct lurk_keyboards_file keyboards; /* none: rules for one are switched off */
	struct lurk_ldml ldml;                /* where it is one */
	char *left; /* of that: what a layout of one's own cannot say, a line each; or NULL */
};
void lurk_layout_package_free(struct lurk_layout_package *package);

/* Reads one from bytes, which are not kept; `path` is for messages and the name. False with a
 * message; to be freed in any case. */
bool lurk_layout_package_read(struct lurk_layout_package *package, const char *path,
			      const char *bytes, size_t length, struct lurk_message *message);

/* Opens the layout in it, to be looked at; the file is not one to be saved. `name` is NULL for its
 * own. */
enum lurk_went lurk_layout_package_open(struct lurk_layout_package *package, const char *path,
					const char *name, struct lurk_own_layout_file *file,
					struct lurk_message *message);

/* Makes all of it one's own; the file is then that of the layout. The rules become a profile by
 * itself, whose path is written to `profile`, "" for none, and nothing comes into force. All
 * or nothing, and one step. */
enum lurk_went lurk_layout_package_take(struct lurk_workspace *ws, const char *path,
					const char *name, struct lurk_own_layout_file *file,
					char profile[LURK_PATH], struct lurk_message *message);

/* Writes one: `about` and `keyboard` may be NULL, and so may `rules`, a profile that needs no
 * other. What is there already under that path is not replaced. */
enum lurk_went lurk_layout_package_write(const struct lurk_own_layout_file *file, const char *about,
					 const char *keyboard,
					 const struct lurk_profile_file *rules, const char *path,
					 struct lurk_message *message);

/* The same as an LDML keyboard, for other systems. What that cannot say is written to `left`, a
 * line each, to be released; NULL for nothing. */
enum lurk_went lurk_layout_package_write_ldml(const struct lurk_own_layout_file *file,
					      const char *path, char **left,
					      struct lurk_message *message);

LURK_END_C

#endif
