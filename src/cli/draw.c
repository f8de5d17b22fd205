/* lurk-draw: pictures to files. */
#include <string.h>

#include "cli/picture.h"
#include "lurk/text/memory.h"
#include "picture/sheet.h"

static const double dots_per_mm = 4;

/* The rules as a card's table. */
struct table {
	struct sheet_row *rows;
	char (*texts)[3][LURK_WORDS];
	unsigned count;
};

static void add_row(const struct tell_view *v, struct table *table, const struct lurk_rule *rule)
{
	char(*t)[LURK_WORDS] = table->texts[table->count];
	const struct lurk_target *on = &rule->press.on;
	const struct lurk_nickname *nickname =
		lurk_nickname_of(&v->ws->keyboards, v->described, on->scan, on->key);
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
	lurk_words_text(rule->note, t[2], LURK_WORDS);
	table->rows[table->count++] = (struct sheet_row){t[0], t[1], t[2]};
}

static struct table make_table(struct tell_view *v)
{
	struct table table = {lurk_allocate(v->rules.count + 1U, sizeof *table.rows),
			      lurk_allocate(v->rules.count + 1U, sizeof *table.texts), 0};
	const struct tell_side *side = tell_view_subject(v);
	struct lurk_rule rule;
	unsigned index = 0;

	while (table.count < v->rules.count &&
	       picture_next_rule(&side->picture, &side->job, &index, &rule))
		add_row(v, &table, &rule);
	return table;
}

static int write_file(const struct picture_options *o, const struct drawing *d, const char *what)
{
	const char *path = o->output;
	struct lurk_message why;
	GByteArray *bytes;
	bool fine;

	if (o->file == PICTURE_SVG)
		bytes = drawing_svg(d, &why);
	else if (o->file == PICTURE_PNG)
		bytes = drawing_png(d, dots_per_mm, &why);
	else
		bytes = drawing_pdf(d, &why);
	if (!bytes)
		return cli_fail(CLI_USAGE, "%s: %s", path, why.text);
	fine = lurk_file_write(path, (const char *)bytes->data, bytes->len, &why);
	g_byte_array_unref(bytes);
	if (!fine)
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	if (!o->cli->json)
		printf("%s: %s\n", path, what);
	return CLI_DONE;
}

static int draw_file(const struct picture_options *o, struct tell_view *v)
{
	const struct sheet_paper *paper = o->paper == PICTURE_LETTER ? &sheet_letter : &sheet_a4;
	const bool as_it_is = !o->paper && o->file != PICTURE_PDF;
	struct sheet sheet = {.title = v->title,
			      .under = v->under,
			      .rules = (const char *const *)v->rules.lines,
			      .rule_count = v->rules.count,
			      .back = (const char *const *)v->back.lines,
			      .back_count = v->back.count,
			      .dark = o->dark};
	struct drawing d;
	char what[320], count[48];
	int status;

	for (unsigned i = 0; i < v->side_count; i++) {
		sheet.pictures[i] = &v->sides[i].picture;
		sheet.captions[i] = v->side_count > 1 ? v->sides[i].words : NULL;
	}
	sheet.picture_count = v->side_count;
	if (o->labels) {
		unsigned labels = sheet_labels(&d, &sheet, paper);

		snprintf(what, sizeof what,
			 "%s on %u page%s. Print at 100 %%, and measure the bar before cutting.",
			 lurk_words_count(labels, "label", count), drawing_pages(&d),
			 drawing_pages(&d) == 1 ? "" : "s");
	} else if (o->wanted.card) {
		struct table table = make_table(v);

		sheet.rows = table.rows;
		sheet.row_count = table.count;
		sheet_card(&d, &sheet, paper);
		lurk_release(table.rows);
		lurk_release(table.texts);
		snprintf(what, sizeof what, "a card: %s", v->title);
	} else {
		sheet_picture(&d, &sheet, as_it_is ? NULL : paper);
		snprintf(what, sizeof what, "%s", v->title);
	}
	status = write_file(o, &d, what);
	drawing_free(&d);
	return status;
}

const struct picture_drawer cli_drawer = {.draw = draw_file};
