/* Who is at the other end of a socket, and what that person may do. */
#ifndef LURK_SERVICE_RIGHTS_H
#define LURK_SERVICE_RIGHTS_H

#include <sys/types.h>

#include "service/rpc.h"

struct lurk_peer {
	uid_t uid;
	bool in_group; /* root, or a member of the group that may change rules */
};

/* Asks the kernel; false where it does not tell. `group` is (gid_t)-1 where there is no such group.
 */
bool lurk_peer_of(int socket, gid_t group, struct lurk_peer *peer);

/* Whether this person's session is the one in front of the seat's screen now. */
bool lurk_peer_at_seat(const struct lurk_peer *peer, const char *seat);

void lurk_peer_rights(const struct lurk_peer *peer, bool status_for_everyone,
		      struct lurk_rights *rights);

/* Whether this peer may read the keys of a keyboard that belongs to the seat, at this moment. */
bool lurk_peer_may_watch(const struct lurk_peer *peer, const char *seat);

#endif
