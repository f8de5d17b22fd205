#include "service/resident.h"

#include <link.h>
#include <stdint.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <unistd.h>

/* Reads a byte of each page of the program, which comes before its libraries. */
static int touch(struct dl_phdr_info *program, size_t size, void *page)
{
	const uintptr_t step = *(const uintptr_t *)page;

	(void)size;
	for (unsigned i = 0; i < program->dlpi_phnum; i++) {
		const ElfW(Phdr) *part = &program->dlpi_phdr[i];
		const uintptr_t begin = program->dlpi_addr + part->p_vaddr;

		if (part->p_type != PT_LOAD || !(part->p_flags & PF_R))
			continue;
		for (uintptr_t at = begin; at < begin + part->p_memsz; at += step)
			(void)*(const volatile unsigned char *)at;
	}
	return 1;
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
