/* Answers, put together piece by piece; what memory cannot be had for fails the call. */
#include <stdlib.h>
#include <string.h>

#include "service/methods.h"
#include "lurk/text/file.h"

void lurk_call_add(struct lurk_call *call, json_t *object, const char *name, json_t *value)
{
	if (json_object_set_new(object, name, value))
		call->starved = true;
}

void lurk_call_append(struct lurk_call *call, json_t *list, json_t *value)
{
	if (json_array_append_new(list, value))
		call->starved = true;
}

json_t *lurk_call_text(const char *text, size_t length)
{
	json_t *made = json_stringn(text, length);
	char *copy = made ? NULL : strndup(text, length);

	if (!copy)
		return made;
	lurk_make_harmless(copy);
	made = json_string(copy);
	free(copy);
	return made;
}

void lurk_call_fail(struct lurk_call *call, int code, const char *text)
{
	json_decref(call->error);
	call->error = json_object();
	lurk_call_add(call, call->error, "code", json_integer(code));
	lurk_call_add(call, call->error, "message", json_string(text));
}

void *lurk_call_room(struct lurk_call *call, size_t size)
{
	void *bytes = malloc(size);

	call->starved = call->starved || !bytes;
	return bytes;
}
