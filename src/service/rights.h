/*
 * Who is at the other end of a socket, and what that person may do at this moment.
 *
 * A member of the group is who was one for the kernel when the connection began, or is listed in
 * the group's file now; and no more who was listed when the connection began and is not any more.
 * So an administrator's change holds from the next request on. Only files are read, never another
 * service that could keep keyboards waiting; who is listed elsewhere is judged by the kernel alone.
 */
#ifndef LURK_SERVICE_RIGHTS_H
#define LURK_SERVICE_RIGHTS_H

#include <sys/types.h>

#include "service/kept.h"
#include "service/rpc.h"

struct lurk_rights_from {
	struct lurk_kept_file *users, *groups; /* such as /etc/passwd and /etc/group */
	const char *group;                     /* whose members may change rules */
	enum lurk_own own;                     /* what the rules of persons at a screen may do */
	bool status_for_everyone;
	bool watch_by_root; /* and not by the person at the screen */
};

struct lurk_peer {
	uid_t uid;
	bool was_member; /* for the kernel, when the connection began */
	bool was_listed; /* in the group's file then */
};

/* Who goes before whom where there is not room for all. */
enum lurk_rank { LURK_RANK_NONE, LURK_RANK_AT_SCREEN, LURK_RANK_MEMBER, LURK_RANK_ROOT };

/* Whether anybody tells who is at a screen: systemd-logind does. */
bool lurk_rights_know_persons(void);

/* Asks the kernel; false where it does not tell. */
bool lurk_peer_of(int socket, const struct lurk_rights_from *from, struct lurk_peer *peer);

/* What the peer may do now, into the caller's rights and seat. */
enum lurk_rank lurk_peer_rights(const struct lurk_peer *peer, const struct lurk_rights_from *from,
				struct lurk_caller *caller);

/* Whether this peer may read the keys of a keyboard that belongs to the seat ("" for the main one),
 * at this moment. */
bool lurk_peer_may_watch(const struct lurk_peer *peer, const struct lurk_rights_from *from,
			 const char *seat);

#endif
