/* Layouts in one file from anywhere: what is taken is texts alone, and Compose lines that are put
 * into a person's file come out of it again with every other byte in its place. */
#include "copy.h"

#include "lurk/text/memory.h"
#include "lurk/work/layout_package.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static struct lurk_own_layout *layout(void)
{
	static const char text[] = "xkb_symbols \"x\" { include \"us\" name[Group1] = \"Reed\"; };";
	struct lurk_message why;
	struct lurk_own_layout *own =
		lurk_own_layout_read("/", "reedbed", text, sizeof text - 1, &why);

	if (!own)
		abort();
	return own;
}

static void tell(void *data, const struct lurk_own_sequence *one)
{
	if (!*one->gives)
		abort();
	++*(unsigned *)data;
}

/* As a layout's own lines, and as what stands in the file already. */
static void put_in_and_out(struct lurk_own_layout *own, const char *lines, const char *file)
{
	char *had = lurk_compose_without(file, "reedbed"), *with, *out;
	const char *before = had ? had : file;
	struct lurk_message why;
	unsigned told = 0;

	if (lurk_own_layout_take_compose(own, lines, strlen(lines), &why) && *lines) {
		if (lurk_own_layout_sequences(own, tell, &told) != told)
			abort();
		with = lurk_compose_with(before, own, &why);
		out = with ? lurk_compose_without(with, "reedbed") : NULL;
		/* A last line without its end gets one. */
		if (with && (!out || strncmp(out, before, strlen(before)) != 0 ||
			     strlen(out) > strlen(before) + 1))
			abort();
		lurk_release(with);
		lurk_release(out);
	}
	lurk_own_layout_take_compose(own, "", 0, &why);
	lurk_release(had);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	static struct lurk_own_layout *own;
	struct lurk_layout_package package;
	struct lurk_message why = {""};
	char *text = copy(data, size), *half = text + strlen(text) / 2;

	own = own ? own : layout();
	if (!lurk_layout_package_read(&package, "reedbed", text, size, &why)) {
		if (!*why.text)
			abort();
	} else if (!package.symbols || strlen(package.name) >= LURK_OWN_NAME) {
		abort();
	}
	lurk_layout_package_free(&package);
	if (!strstr(text, "include")) /* which takes long, and is the library's */
		put_in_and_out(own, half, text);
	free(text);
	return 0;
}
