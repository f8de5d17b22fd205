/* What the parts of the core that know scan codes share about the key table. */
#ifndef LURK_CORE_KEYTABLE_H
#define LURK_CORE_KEYTABLE_H

#include "lurk/scan.h"

/* A PS/2 code as an index below LURK_PS2_CODES: plain bytes, e0 codes, and Pause's e1 code. */
#define LURK_PS2_INDEX(code) \
	((code) < 0x100 ? (code) : ((code) >> 8) == 0xe0 ? 0x100 | ((code)&0xff) : 0x200)

#endif
