/* Profiles from anywhere, for one known keyboard. */
#include "copy.h"

#include "lurk/profile/profile.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	static const char known[] = "keyboards: {heron: {built-in: true}}";
	struct lurk_keyboards_file keyboards;
	struct lurk_profile_file profile;
	struct lurk_message why;

	lurk_keyboards_read(&keyboards, "keyboards.yaml", strdup(known), sizeof known - 1, &why);
	if (lurk_profile_read(&profile, "profile.yaml", copy(data, size), size, &keyboards, NULL,
			      &why)) {
		struct lurk_profile_set set = {.files = {&profile}, .count = 1};

		lurk_profile_agrees(&set, &keyboards, &why);
		lurk_profile_free(&profile);
	}
	lurk_keyboards_free(&keyboards);
	return 0;
}
