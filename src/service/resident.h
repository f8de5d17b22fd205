/* The service's memory stays in memory: what has seen keys is never written to a swap, and no key,
 * and no way back, waits for a page of the program from a disk that is busy or dying. */
#ifndef LURK_SERVICE_RESIDENT_H
#define LURK_SERVICE_RESIDENT_H

/* From now on, as far as memory is used at all, and the program as a whole; of its libraries, which
 * bring much that nobody needs, what was used once. Nothing where the process may not lock as much
 * as it likes: with less, an allocation could fail that would not. */
void lurk_stay_resident(void);

#endif
