/* Members of JSON objects. */
#ifndef LURK_TELL_JSON_H
#define LURK_TELL_JSON_H

#include <json-c/json.h>

#include "lurk/rule.h"

/* NULL gives null. */
static inline void tell_put_text(struct json_object *object, const char *name, const char *text)
{
	json_object_object_add(object, name, text ? json_object_new_string(text) : NULL);
}

static inline void tell_put_flag(struct json_object *object, const char *name, bool flag)
{
	json_object_object_add(object, name, json_object_new_boolean(flag));
}

static inline void tell_put_number(struct json_object *object, const char *name, int64_t number)
{
	json_object_object_add(object, name, json_object_new_int64(number));
}

static inline void tell_put_words(struct json_object *object, const char *name,
				  struct lurk_text text)
{
	json_object_object_add(object, name,
			       json_object_new_string_len(text.bytes, (int)text.length));
}

/* Seconds since 1970. */
static inline void tell_put_time(struct json_object *object, const char *name, uint64_t time_us)
{
	tell_put_number(object, name, (int64_t)(time_us / 1000000));
}

#endif
