/* keyboards.yaml from anywhere. */
#include "copy.h"

#include "lurk/profile/profile.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	struct lurk_keyboards_file keyboards;
	struct lurk_message why;

	if (lurk_keyboards_read(&keyboards, "keyboards.yaml", copy(data, size), size, &why))
		lurk_keyboards_free(&keyboards);
	return 0;
}
