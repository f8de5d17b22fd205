/*
 * The record of what tables held before Lurk's first change, so that they can be restored exactly
 * after a crash, an upgrade or a restart of the service.
 *
 * It is keyed by boot and by the kernel's number for the input device, which no other device of the
 * boot ever gets: after a reboot or a replug the kernel's own table is there again, and what was
 * written down of the old one says nothing. So the file need not survive a power cut, and is not
 * flushed.
 */
#ifndef LURK_LINUX_RECORD_H
#define LURK_LINUX_RECORD_H

#include <stdbool.h>
#include <stdint.h>

#include "lurk/text/file.h"

struct lurk_record_line {
	unsigned input; /* N of /sys/class/input/inputN */
	unsigned index; /* of the table's entry */
	uint16_t original, now;
};

struct lurk_record {
	char path[4096];
	int fd;                         /* lines are added at its end */
	struct lurk_record_line *lines; /* the last of each entry that is not as it was */
	unsigned count, written;        /* written: lines in the file */
	bool torn;                      /* its last line may be there in part */
};

/* Reads the record of this boot below `folder`; one of an earlier boot is begun anew. False with an
 * errno where it cannot be written: it is tried again with each line. */
bool lurk_record_open(struct lurk_record *record, const char *folder);
void lurk_record_close(struct lurk_record *record);

/* Writes down a change that is about to be made. False with an errno where it cannot: then it must
 * not be made, unless it puts the original back. */
bool lurk_record_add(struct lurk_record *record, const struct lurk_record_line *line);

/* Forgets an input device that is gone; its number never comes again. */
void lurk_record_forget(struct lurk_record *record, unsigned input);

/* What an entry held before Lurk, where it still holds what Lurk put there; else what it holds, and
 * *by_other tells whether another program put that over Lurk's. */
uint16_t lurk_record_original(const struct lurk_record *record, unsigned input, unsigned index,
			      uint16_t now, bool *by_other);

#endif
