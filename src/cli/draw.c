/* lurk-draw: pictures to files. */
#include <stdlib.h>
#include <string.h>

#include "cli/picture.h"
#include "picture/sheet.h"

static const double dots_per_mm = 4;

/* The rules as a card's table. */
struct table {
	struct sheet_row rows[PICTURE_LINES];
	char texts[PICTURE_LINES][3][LURK_WORDS];
	unsigned count;
};

static struct table *make_table(struct picture_work *w)
{
	struct table *table = calloc(1, sizeof *table);
	struct lurk_rule rule;

	if (!table)
		abort();
	for (; table->count < PICTURE_LINES && picture_rule_of(w, table->count, &rule);
	     table->count++) {
		char(*t)[LURK_WORDS] = table->texts[table->count];
		const struct lurk_target *on = &rule.press.on;
		const struct lurk_nickname *nickname;
		size_t n;

		nickname = lurk_nickname_of(&w->o->cli->keyboards, w->described, on->scan, on->key);
		lurk_words_for_press(&rule.press, t[0]);
		n = strlen(t[0]);
		if (nickname)
			snprintf(t[0] + n, LURK_WORDS - n, " (%s)", nickname->name);
		else if (on->kind == LURK_TARGET_SCAN && lurk_scan_key(on->scan))
			snprintf(t[0] + n, LURK_WORDS - n, " (%s)",
				 lurk_key_name(lurk_scan_key(on->scan)));
		lurk_words_result(&rule.gives, t[1]);
		n = strlen(t[1]);
		if (rule.swap)
			snprintf(t[1] + n, LURK_WORDS - n, ", and back");
		cli_safe(rule.note, t[2], LURK_WORDS);
		table->rows[table->count] = (struct sheet_row){t[0], t[1], t[2]};
	}
	return table;
}

static bool ends_with(const char *text, const char *end)
{
	size_t n = strlen(text), m = strlen(end);

	return n > m && !strcasecmp(text + n - m, end);
}

static int write_file(struct picture_work *w, const struct drawing *d, const char *what)
{
	const char *path = w->o->output;
	struct lurk_message why;
	GByteArray *bytes;
	bool fine;

	if (ends_with(path, ".svg"))
		bytes = drawing_svg(d, &why);
	else if (ends_with(path, ".png"))
		bytes = drawing_png(d, dots_per_mm, &why);
	else
		bytes = drawing_pdf(d, &why);
	if (!bytes)
		return cli_fail(CLI_USAGE, "%s: %s", path, why.text);
	fine = lurk_file_write(path, (const char *)bytes->data, bytes->len, &why);
	g_byte_array_unref(bytes);
	if (!fine)
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	if (!w->o->cli->json)
		printf("%s: %s\n", path, what);
	return CLI_DONE;
}

static int draw_file(struct picture_work *w)
{
	const struct picture_options *o = w->o;
	const struct sheet_paper *paper = o->paper                       ? sheet_paper(o->paper)
					  : ends_with(o->output, ".pdf") ? &sheet_papers[0]
									 : NULL;
	const char *rules[PICTURE_LINES], *back[PICTURE_BACK];
	struct sheet sheet = {.title = w->title,
			      .under = w->under,
			      .rules = rules,
			      .rule_count = w->line_count,
			      .back = back,
			      .back_count = w->back_count,
			      .dark = o->dark};
	struct drawing d;
	char what[256], count[48];
	int status;

	for (unsigned i = 0; i < w->line_count; i++)
		rules[i] = w->lines[i];
	for (unsigned i = 0; i < w->back_count; i++)
		back[i] = w->back[i];
	for (unsigned i = 0; i < w->side_count; i++) {
		sheet.pictures[i] = &w->sides[i].picture;
		sheet.captions[i] = w->side_count > 1 ? w->sides[i].words : NULL;
	}
	sheet.picture_count = w->side_count;
	if (o->labels) {
		unsigned labels = sheet_labels(&d, &sheet, paper ? paper : &sheet_papers[0]);

		snprintf(what, sizeof what,
			 "%s on %u page%s. Print at 100 %%, and measure the bar before cutting.",
			 cli_count(labels, "label", count), drawing_pages(&d),
			 drawing_pages(&d) == 1 ? "" : "s");
	} else if (o->card) {
		struct table *table = make_table(w);

		sheet.rows = table->rows;
		sheet.row_count = table->count;
		sheet_card(&d, &sheet, paper ? paper : &sheet_papers[0]);
		free(table);
		snprintf(what, sizeof what, "a card: %s", w->title);
	} else {
		sheet_picture(&d, &sheet, paper);
		snprintf(what, sizeof what, "%s", w->title);
	}
	status = write_file(w, &d, what);
	drawing_free(&d);
	return status;
}

int (*const cli_draw)(struct picture_work *w) = draw_file;

int cli_hand_to_drawer(const struct cli *cli)
{
	(void)cli;
	return CLI_COULD_NOT;
}
