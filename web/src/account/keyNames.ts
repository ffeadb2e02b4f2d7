/** The keys of shortcuts: those that can be changed, and what they are when somebody has changed some. */

/** The shortcuts whose key can be changed, by the key that they come with. */
export const CHANGEABLE = [..."rshwmbcnokf[],.12345ptlexaz"];

/** The keys that somebody has set, by those that the shortcuts come with. */
export type OwnKeys = Readonly<Record<string, string>>;

/** The key of a shortcut; empty where it is switched off. */
export const keyOf = (own: OwnKeys, shortcut: string): string => own[shortcut] ?? shortcut;

/** The key of a shortcut as texts name it. */
export const keyName = (own: OwnKeys, shortcut: string): string => keyOf(own, shortcut).toUpperCase() || "–";
