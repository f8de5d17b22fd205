#include "service/rights.h"

#include <errno.h>
#include <grp.h>
#include <pwd.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#ifdef LURK_SYSTEMD
#include <systemd/sd-login.h>
#endif

static const char main_seat[] = "seat0";

/* ---- The group --------------------------------------------------------------------------------
 */

/* The group's number; false where there is none, or no group of that name. `name` may be NULL. */
static bool has_member(const struct lurk_rights_from *from, const char *name, gid_t *number)
{
	FILE *file = lurk_kept_open(from->groups);
	struct group *group = NULL;
	bool found = false;

	while (file && from->group && (group = fgetgrent(file))) {
		if (!strcmp(group->gr_name, from->group))
			break;
	}
	*number = group ? group->gr_gid : (gid_t)-1;
	for (char **member = group ? group->gr_mem : NULL; name && member && *member; member++)
		found = found || !strcmp(*member, name);
	if (file)
		fclose(file);
	return found;
}

/* Whether the files have this user as a member, by name or by its first group. */
static bool is_listed(const struct lurk_rights_from *from, uid_t uid)
{
	FILE *file = lurk_kept_open(from->users);
	struct passwd *user = NULL;
	gid_t number = (gid_t)-1;
	bool listed;

	while (file && (user = fgetpwent(file))) {
		if (user->pw_uid == uid)
			break;
	}
	listed = user && has_member(from, user->pw_name, &number);
	listed = listed || (user && number != (gid_t)-1 && user->pw_gid == number);
	if (file)
		fclose(file);
	return listed;
}

/* The credentials of a socket do not have the supplementary groups; those are asked for apart, and
 * are as many as they are. */
static bool has_group(int socket, gid_t group)
{
	socklen_t length = 0;
	gid_t *groups = NULL;
	bool found = false;

	if (getsockopt(socket, SOL_SOCKET, SO_PEERGROUPS, NULL, &length) == 0 || errno != ERANGE)
		return false;
	groups = malloc(length);
	if (!groups || getsockopt(socket, SOL_SOCKET, SO_PEERGROUPS, groups, &length) < 0)
		length = 0;
	for (size_t i = 0; i < length / sizeof *groups; i++)
		found = found || groups[i] == group;
	free(groups);
	return found;
}

/* ---- The peer ---------------------------------------------------------------------------------
 */

bool lurk_peer_of(int socket, const struct lurk_rights_from *from, struct lurk_peer *peer)
{
	struct ucred who;
	socklen_t length = sizeof who;
	gid_t group;

	if (getsockopt(socket, SOL_SOCKET, SO_PEERCRED, &who, &length) < 0)
		return false;
	has_member(from, NULL, &group);
	peer->uid = who.uid;
	peer->was_member = group != (gid_t)-1 && (who.gid == group || has_group(socket, group));
	peer->was_listed = is_listed(from, who.uid);
	return true;
}

static bool is_member(const struct lurk_peer *peer, const struct lurk_rights_from *from)
{
	return is_listed(from, peer->uid) || (peer->was_member && !peer->was_listed);
}

bool lurk_rights_know_persons(void)
{
#ifdef LURK_SYSTEMD
	return access("/run/systemd/seats", F_OK) == 0;
#else
	return false;
#endif
}

#ifdef LURK_SYSTEMD
/* The seat in front of whose screen this person's session is now; false for none. */
static bool find_seat(uid_t uid, char *seat, size_t size)
{
	char **seats = NULL;
	const int count = sd_uid_get_seats(uid, 1, &seats);
	bool found = false;

	for (int i = 0; i < count; i++) {
		if (!found || !strcmp(seats[i], main_seat))
			snprintf(seat, size, "%s", strcmp(seats[i], main_seat) ? seats[i] : "");
		found = true;
		free(seats[i]);
	}
	free(seats);
	return found;
}
#else
static bool find_seat(uid_t uid, char *seat, size_t size)
{
	(void)uid;
	(void)seat;
	(void)size;
	return false;
}
#endif

enum lurk_rank lurk_peer_rights(const struct lurk_peer *peer, const struct lurk_rights_from *from,
				struct lurk_caller *caller)
{
	const bool root = peer->uid == 0, member = root || is_member(peer, from);
	bool at_screen;

	*caller->seat = '\0';
	at_screen = root || find_seat(peer->uid, caller->seat, sizeof caller->seat);
	caller->rights = (struct lurk_rights){
		.status = member || at_screen || from->status_for_everyone,
		.change = member,
		.own = at_screen && !root && from->own,
		.off = member || at_screen,
		.watch = root || (at_screen && !from->watch_by_root),
		.watch_by_root = from->watch_by_root,
		.nobodys_own = !from->own || (!at_screen && !lurk_rights_know_persons()),
	};
	return root        ? LURK_RANK_ROOT
	       : member    ? LURK_RANK_MEMBER
	       : at_screen ? LURK_RANK_AT_SCREEN
			   : LURK_RANK_NONE;
}

bool lurk_peer_may_watch(const struct lurk_peer *peer, const struct lurk_rights_from *from,
			 const char *seat)
{
	if (peer->uid && from->watch_by_root)
		return false;
#ifdef LURK_SYSTEMD
	return peer->uid == 0 || sd_uid_is_on_seat(peer->uid, 1, *seat ? seat : main_seat) > 0;
#else
	(void)seat;
	(void)main_seat;
	return peer->uid == 0;
#endif
}
