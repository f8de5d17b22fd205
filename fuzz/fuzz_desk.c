/* Desks: desk.yaml from anywhere. */
#include "copy.h"

#include "lurk/desk/desk.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	static struct lurk_desk desk;
	struct lurk_message why;

	lurk_desk_read(&desk, "desk.yaml", copy(data, size), size, &why);
	return 0;
}
