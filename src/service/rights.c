#include "service/rights.h"

#include <string.h>
#include <sys/socket.h>

#ifdef LURK_SYSTEMD
#include <systemd/sd-login.h>
#endif

enum { GROUPS = 256 };

/* The credentials of a socket do not have the supplementary groups; those are asked for apart. */
static bool has_group(int socket, gid_t group)
{
	gid_t groups[GROUPS];
	socklen_t length = sizeof groups;

	if (group == (gid_t)-1 ||
	    getsockopt(socket, SOL_SOCKET, SO_PEERGROUPS, groups, &length) < 0)
		return false;
	for (size_t i = 0; i < length / sizeof *groups; i++) {
		if (groups[i] == group)
			return true;
	}
	return false;
}

bool lurk_peer_of(int socket, gid_t group, struct lurk_peer *peer)
{
	struct ucred who;
	socklen_t length = sizeof who;

	if (getsockopt(socket, SOL_SOCKET, SO_PEERCRED, &who, &length) < 0)
		return false;
	peer->uid = who.uid;
	peer->in_group = who.uid == 0 || (group != (gid_t)-1 && who.gid == group) ||
			 has_group(socket, group);
	return true;
}

bool lurk_peer_at_seat(const struct lurk_peer *peer, const char *seat)
{
#ifdef LURK_SYSTEMD
	return sd_uid_is_on_seat(peer->uid, 1, seat) > 0;
#else
	(void)peer;
	(void)seat;
	return false;
#endif
}

void lurk_peer_rights(const struct lurk_peer *peer, bool status_for_everyone,
		      struct lurk_rights *rights)
{
	bool at_screen = peer->uid == 0 || lurk_peer_at_seat(peer, "seat0");

	rights->change = peer->in_group;
	rights->off = peer->in_group || at_screen;
	rights->watch = at_screen;
	rights->status = rights->off || status_for_everyone;
}

bool lurk_peer_may_watch(const struct lurk_peer *peer, const char *seat)
{
	return peer->uid == 0 || lurk_peer_at_seat(peer, *seat ? seat : "seat0");
}
