/* What layouts are called in words, and which one a word that names none may mean (libxkbregistry).
 */
#ifndef LURK_LAYOUT_REGISTRY_H
#define LURK_LAYOUT_REGISTRY_H

#include <stdbool.h>
#include <stddef.h>

#include <xkbcommon/xkbcommon.h>

/* "English (UK)" for "gb"; the name itself where it is not known. */
void lurk_registry_words(struct xkb_context *context, const char *name, char *words, size_t size);

/* The layout that is called so in words, or is for that country; where several could be meant,
 * false with them in words. */
bool lurk_registry_meant(struct xkb_context *context, const char *word, char name[64],
			 char candidates[256]);

/* The name of the layout that has these words: the words themselves where none has. */
void lurk_registry_called(struct xkb_context *context, const char *words, char name[64]);

/* Each layout's name; variants as "de:neo". */
void lurk_registry_each(struct xkb_context *context, void (*tell)(void *data, const char *name),
			void *data);

/* What a layout's sign in a panel is, "de", and the ISO 639 code of its language, "deu"; "" where
 * that is not known. */
enum { LURK_REGISTRY_CODE = 16 };
void lurk_registry_language(struct xkb_context *context, const char *name,
			    char brief[LURK_REGISTRY_CODE], char language[LURK_REGISTRY_CODE]);

/* Whether the list in one folder, as desktops read it, has a layout with that name and those words;
 * and how many it has, -1 where it cannot be read. */
bool lurk_registry_lists(const char *folder, const char *name, const char *words, int *count);

#endif
