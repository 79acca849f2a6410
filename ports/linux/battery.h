/* How full this machine's battery is. */
#ifndef YONDER_LINUX_BATTERY_H
#define YONDER_LINUX_BATTERY_H

/* In percent; -1: it has none, or does not tell (Documentation/ABI/testing/sysfs-class-power). */
int battery_percent(void);

#endif
