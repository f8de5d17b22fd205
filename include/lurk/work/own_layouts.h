/*
 * A person's own layouts (lurk/layout/own.h): where they are worked on, and how desktops get them.
 *
 * They are worked on in the folder layouts/ beside the profile, as layouts/symbols/NAME, and where
 * dead keys give something of their own as layouts/compose/NAME too. Installed, a copy stands where
 * libxkbcommon looks for a person's own, $XDG_CONFIG_HOME/xkb; root's in /etc/xkb, for everybody,
 * and among the system's own files as well, since the X server and the text console read nothing
 * else; a desk's in its folder xkb/. Every step can be taken back (lurk/work/undo.h).
 */
#ifndef LURK_INCLUDE_WORK_OWN_LAYOUTS_H
#define LURK_INCLUDE_WORK_OWN_LAYOUTS_H

#include "lurk/declare.h"
#include "lurk/layout/own.h"
#include "lurk/work/workspace.h"

LURK_BEGIN_C

/* One that is open; `own` is NULL where none is. To be closed. */
struct lurk_own_layout_file {
	struct lurk_own_layout *own;
	char path[LURK_PATH], compose_path[LURK_PATH];
	struct lurk_file_seen seen, compose_seen;
};
void lurk_own_layout_file_close(struct lurk_own_layout_file *file);

/* Of all that follows the workspace needs its paths alone: lurk_workspace_find_layout(). */

/* Where XKB's folders `symbols` and `rules` are of those that are installed; of those that are
 * worked on it is the workspace's `layout.folder`. Returns out. */
const char *lurk_own_layout_installed_folder(const struct lurk_workspace *ws, char out[LURK_PATH]);

/* A new one. `base` is NULL for the layout that is in use; `words` NULL for the base's and the
 * name. */
enum lurk_went lurk_own_layout_file_begin(struct lurk_workspace *ws, const char *name,
					  const char *base, const char *words,
					  struct lurk_own_layout_file *file,
					  struct lurk_message *message);
/* One that is there. Where the workspace is for editing, others who edit wait. */
enum lurk_went lurk_own_layout_file_open(struct lurk_workspace *ws, const char *name,
					 struct lurk_own_layout_file *file,
					 struct lurk_message *message);
/* After an edit. */
enum lurk_went lurk_own_layout_file_save(struct lurk_workspace *ws,
					 struct lurk_own_layout_file *file, const char *summary,
					 struct lurk_message *message);
/* Lets it type what a profile's rules do, where they give one sign for a key alone or with Shift
 * and AltRight. Each rule that gives text is told: why it is left out, or NULL where it is in the
 * layout now. Returns how many are. */
unsigned lurk_own_layout_take_rules(
	struct lurk_own_layout_file *file, const struct lurk_profile_file *profile,
	void (*tell)(void *data, const struct lurk_rule *rule, const char *why), void *data);
/* Their names, in an order. */
void lurk_own_layout_files_each(const struct lurk_workspace *ws,
				void (*tell)(void *data, const char *name), void *data);

/* Whether desktops have it; whether the X server and the text console do, which everybody's alone
 * can be, where the system's own files can be written. */
enum lurk_own_layout_installed {
	LURK_OWN_NOT_INSTALLED,
	LURK_OWN_INSTALLED_OTHERWISE,
	LURK_OWN_INSTALLED
};
enum lurk_own_layout_installed
lurk_own_layout_is_installed(const struct lurk_workspace *ws,
			     const struct lurk_own_layout_file *file);
enum lurk_own_layout_installed
lurk_own_layout_is_the_servers(const struct lurk_own_layout_file *file);
/* Whether what is installed is for everybody: root's. */
bool lurk_own_layout_is_everybodys(const struct lurk_workspace *ws);
/* The layout first, then its entry in the menu; and the other way round. Each is put in place
 * whole, so that at no moment a menu names what is not there. What others have in these files stays
 * byte for byte. LURK_FOUND where there is nothing to do. */
enum lurk_went lurk_own_layout_install(struct lurk_workspace *ws,
				       const struct lurk_own_layout_file *file,
				       struct lurk_message *message);
enum lurk_went lurk_own_layout_uninstall(struct lurk_workspace *ws, const char *name,
					 struct lurk_message *message);

/* Puts everybody's into the system's own files again, which an upgrade of these wrote anew; or
 * takes them out there, so that they are as their package has them. Not noted as steps. Each that
 * was moved is told, and each that could not be, with why; false where any could not. */
bool lurk_own_layouts_renew(struct lurk_workspace *ws, bool withdraw,
			    void (*tell)(void *data, const char *name,
					 const struct lurk_message *why),
			    void *data);

/* The layouts that a desktop's session has in turn, by their names in XKB's list, such as
 * "gb,de:nodeadkeys", and which of them is active: -1 where that is not known. */
enum { LURK_SESSION_LAYOUTS = 256 };
struct lurk_session_layouts {
	char names[LURK_SESSION_LAYOUTS];
	int active;
};
/* False where nobody tells, or one is not in that list. */
bool lurk_layouts_of_session(struct lurk_session_layouts *session);

/* Whether desktops have all of such ones: one's own as they are now, and what the system has. */
bool lurk_layouts_to_be_had(struct lurk_workspace *ws, const char *names,
			    struct lurk_message *message);

/* Lets the session type with such ones, the active of them or else the first, until it ends or its
 * settings are read anew. LURK_FOUND where it lets no program do that. */
enum lurk_went lurk_layouts_use(const char *names, int active, struct lurk_message *message);

LURK_END_C

#endif
