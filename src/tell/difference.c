#include "tell/difference.h"

#include <stdio.h>
#include <string.h>

#include "tell/json.h"

const char *tell_difference_kind(const struct lurk_difference *d)
{
	return d->kind == LURK_ADDED ? "added" : d->kind == LURK_REMOVED ? "removed" : "changed";
}

const char *tell_difference(const struct lurk_difference *d, char out[TELL_DIFFERENCE])
{
	if (d->kind == LURK_STARTS_WITH)
		snprintf(out, TELL_DIFFERENCE, "the profile %s is in force after a reboot",
			 d->rule);
	else
		snprintf(out, TELL_DIFFERENCE, "%s", d->rule);
	return out;
}

void tell_difference_json(void *array, const struct lurk_difference *d)
{
	struct json_object *object = json_object_new_object();
	char words[TELL_DIFFERENCE];

	tell_put_text(object, "what", tell_difference_kind(d));
	tell_put_text(object, "rule", tell_difference(d, words));
	if (*d->before)
		tell_put_text(object, "before", d->before);
	json_object_array_add(array, object);
}

struct summary {
	char *out;
	unsigned told;
};

static void sum_up(void *data, const struct lurk_difference *d)
{
	struct summary *s = data;
	char words[TELL_DIFFERENCE];

	if (s->told++ < 2)
		snprintf(s->out + strlen(s->out), TELL_DIFFERENCES - strlen(s->out), "%s%s: %s",
			 s->told > 1 ? "; " : "", tell_difference_kind(d),
			 tell_difference(d, words));
}

const char *tell_differences(const struct lurk_image *from, const struct lurk_image *to,
			     char out[TELL_DIFFERENCES])
{
	struct summary s = {out, 0};

	*out = '\0';
	if (!lurk_differences(from, to, sum_up, &s))
		snprintf(out, TELL_DIFFERENCES, "nothing");
	else if (s.told > 2)
		snprintf(out + strlen(out), TELL_DIFFERENCES - strlen(out), "; and %u more",
			 s.told - 2);
	return out;
}
