#include "lurk/work/setup.h"

#include <unistd.h>

#include "work/system.h"

bool lurk_setup_as_root(const char *command, struct lurk_message *message)
{
	return !geteuid() || lurk_say(message,
				      "this changes the system: run it as root, as in `sudo lurk "
				      "%s`",
				      command);
}

bool lurk_setup_possible(const char *command, struct lurk_message *message)
{
	if (!lurk_setup_as_root(command, message))
		return false;
	return access("/run/systemd/system", F_OK) == 0 ||
	       lurk_say(message,
			"this system is not run by systemd: let your init start %s, as root or as "
			"a user of the groups input and lurkd",
			LURK_LURKD);
}

bool lurk_setup(struct lurk_message *message)
{
	if (access(LURK_UNIT, F_OK))
		return lurk_say(message,
				"%s is not there: install the package lurk, or run `meson install` "
				"in the sources first",
				LURK_UNIT);
	if (!RUN("systemd-sysusers") || !RUN("systemctl", "daemon-reload"))
		return lurk_say(message, "the system could not be told of the service");
	TRY("udevadm", "control", "--reload");
	TRY("modprobe", "uinput");
	TRY("udevadm", "trigger", "--name-match=uinput");
	TRY("udevadm", "settle");
	return (RUN("systemctl", "enable", "lurkd.service") &&
		RUN("systemctl", "restart", "lurkd.service")) ||
	       lurk_say(message, "the service does not start; `systemctl status lurkd` says why");
}

bool lurk_setup_undo(struct lurk_message *message)
{
	if (!RUN("systemctl", "disable", "--now", "lurkd.service"))
		return lurk_say(message, "the service cannot be stopped; `systemctl status lurkd` "
					 "says why");
	/* Where it had been killed, tables are still changed. */
	if (access("/run/lurk/tables", F_OK) == 0 && !RUN(LURK_LURKD, "--restore"))
		return lurk_say(message, "the kernel's tables could not be put back; a reboot does "
					 "that");
	TRY("rm", "-rf", "--", "/var/lib/lurk", "/run/lurk");
	TRY("userdel", "lurkd");
	TRY("groupdel", "lurkd");
	TRY("groupdel", "lurk");
	return true;
}
