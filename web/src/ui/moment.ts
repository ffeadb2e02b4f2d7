/** Moments as people write them. */

const DAY = { day: "numeric", month: "short" } as const;
const CLOCK = { hour: "2-digit", minute: "2-digit" } as const;
const say = (iso: string, how: Intl.DateTimeFormatOptions): string =>
  new Date(iso).toLocaleString("en-GB", how);

/** 25 Nov, 18:04 */
export const momentText = (iso: string): string => say(iso, { ...DAY, ...CLOCK });

/** 2 December */
export const dateText = (iso: string): string => say(iso, { day: "numeric", month: "long" });

/** Wednesday 25 November */
export const dayText = (iso: string): string => say(iso, { weekday: "long", day: "numeric", month: "long" });

/** 18:04 */
export const minuteText = (iso: string): string => say(iso, CLOCK);

/** 18:04:05 */
export const timeText = (iso: string): string => say(iso, { ...CLOCK, second: "2-digit" });
