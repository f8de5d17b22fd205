/* Who is at which screen, as systemd-logind tells it in its files. Without it, nobody. */
#ifndef LURK_PORT_LINUX_PERSONS_H
#define LURK_PORT_LINUX_PERSONS_H

#include <stdint.h>

struct lurk_persons;

/* NULL where nobody tells. */
struct lurk_persons *lurk_persons_open(void);
void lurk_persons_close(struct lurk_persons *persons);

/* Readable when somebody else may be at a screen; then it is to be read. */
int lurk_persons_descriptor(const struct lurk_persons *persons);
void lurk_persons_read(struct lurk_persons *persons);

/* As lurk_port_class.person. At a login prompt, and where root is, it is nobody. */
uint32_t lurk_person_at(const char *seat);

#endif
