/* lurk-draw: pictures to files. */
#include <stdlib.h>
#include <string.h>

#include "cli/picture.h"
#include "picture/sheet.h"

static const double dots_per_mm = 4;

/* The rules as a card's table. */
struct table {
	struct sheet_row *rows;
	char (*texts)[3][LURK_WORDS];
	unsigned count;
};

static void add_row(const struct picture_work *w, struct table *table, const struct lurk_rule *rule)
{
	char(*t)[LURK_WORDS] = table->texts[table->count];
	const struct lurk_target *on = &rule->press.on;
	const struct lurk_nickname *nickname =
		lurk_nickname_of(&w->o->cli->keyboards, w->described, on->scan, on->key);
	const char *also = nickname                       ? nickname->name
			   : on->kind == LURK_TARGET_SCAN ? lurk_key_name(lurk_scan_key(on->scan))
							  : "";
	size_t n;

	lurk_words_for_press(&rule->press, t[0]);
	n = strlen(t[0]);
	if (*also)
		snprintf(t[0] + n, LURK_WORDS - n, " (%s)", also);
	lurk_words_result(&rule->gives, t[1]);
	n = strlen(t[1]);
	if (rule->swap)
		snprintf(t[1] + n, LURK_WORDS - n, ", and back");
	cli_safe(rule->note, t[2], LURK_WORDS);
	table->rows[table->count++] = (struct sheet_row){t[0], t[1], t[2]};
}

static struct table make_table(struct picture_work *w)
{
	struct table table = {calloc(w->rules.count + 1U, sizeof *table.rows),
			      calloc(w->rules.count + 1U, sizeof *table.texts), 0};
	const struct picture_side *side = picture_subject(w);
	struct lurk_rule rule;
	unsigned index = 0;

	if (!table.rows || !table.texts)
		abort();
	while (table.count < w->rules.count &&
	       picture_next_rule(&side->picture, &side->job, &index, &rule))
		add_row(w, &table, &rule);
	return table;
}

static int write_file(struct picture_work *w, const struct drawing *d, const char *what)
{
	const char *path = w->o->output;
	struct lurk_message why;
	GByteArray *bytes;
	bool fine;

	if (w->o->file == PICTURE_SVG)
		bytes = drawing_svg(d, &why);
	else if (w->o->file == PICTURE_PNG)
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
	const struct sheet_paper *paper = o->paper == PICTURE_LETTER ? &sheet_letter : &sheet_a4;
	const bool as_it_is = !o->paper && o->file != PICTURE_PDF;
	struct sheet sheet = {.title = w->title,
			      .under = w->under,
			      .rules = (const char *const *)w->rules.lines,
			      .rule_count = w->rules.count,
			      .back = (const char *const *)w->back.lines,
			      .back_count = w->back.count,
			      .dark = o->dark};
	struct drawing d;
	char what[320], count[48];
	int status;

	for (unsigned i = 0; i < w->side_count; i++) {
		sheet.pictures[i] = &w->sides[i].picture;
		sheet.captions[i] = w->side_count > 1 ? w->sides[i].words : NULL;
	}
	sheet.picture_count = w->side_count;
	if (o->labels) {
		unsigned labels = sheet_labels(&d, &sheet, paper);

		snprintf(what, sizeof what,
			 "%s on %u page%s. Print at 100 %%, and measure the bar before cutting.",
			 cli_count(labels, "label", count), drawing_pages(&d),
			 drawing_pages(&d) == 1 ? "" : "s");
	} else if (o->card) {
		struct table table = make_table(w);

		sheet.rows = table.rows;
		sheet.row_count = table.count;
		sheet_card(&d, &sheet, paper);
		free(table.rows);
		free(table.texts);
		snprintf(what, sizeof what, "a card: %s", w->title);
	} else {
		sheet_picture(&d, &sheet, as_it_is ? NULL : paper);
		snprintf(what, sizeof what, "%s", w->title);
	}
	status = write_file(w, &d, what);
	drawing_free(&d);
	return status;
}

const struct picture_drawer cli_drawer = {.draw = draw_file};
