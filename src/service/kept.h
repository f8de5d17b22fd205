/* A file that is asked for again and again, and seldom another: its bytes stay in memory, so that
 * whoever asks waits for no disk. */
#ifndef LURK_SERVICE_KEPT_H
#define LURK_SERVICE_KEPT_H

#include <stdbool.h>
#include <stdio.h>
#include <sys/stat.h>

struct lurk_kept_file {
	const char *path;
	int fd; /* holds what the kernel knows of the path in its memory; -1 for none */
	struct stat was;
	char *bytes; /* NULL where they have to be read */
	bool settled;
};

/* As it is now, to be closed; NULL where there is none, it is no plain file, is empty, or cannot be
 * read. Whatever way it changes, the next call sees it. */
FILE *lurk_kept_open(struct lurk_kept_file *file);

void lurk_kept_forget(struct lurk_kept_file *file);

#endif
