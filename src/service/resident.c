#include "service/resident.h"

#include <link.h>
#include <stdint.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <unistd.h>

/* Reads a byte of each page. */
static int touch(struct dl_phdr_info *object, size_t size, void *page)
{
	const uintptr_t step = *(const uintptr_t *)page;

	(void)size;
	for (unsigned i = 0; i < object->dlpi_phnum; i++) {
		const ElfW(Phdr) *part = &object->dlpi_phdr[i];
		const uintptr_t begin = object->dlpi_addr + part->p_vaddr;

		if (part->p_type != PT_LOAD || !(part->p_flags & PF_R))
			continue;
		for (uintptr_t at = begin; at < begin + part->p_memsz; at += step)
			(void)*(const volatile unsigned char *)at;
	}
	return 0;
}

void lurk_stay_resident(void)
{
	uintptr_t page = (uintptr_t)sysconf(_SC_PAGESIZE);
	struct rlimit limit;

	if (getrlimit(RLIMIT_MEMLOCK, &limit) || limit.rlim_cur != RLIM_INFINITY ||
	    mlockall(MCL_CURRENT | MCL_FUTURE | MCL_ONFAULT))
		return;
	dl_iterate_phdr(touch, &page);
}
