/** What lanes belong to: a source by its id, or anything else by its kind and id. */

export type OwnerKind = "source" | "send" | "return" | "group" | "layer" | "room";

/** The kind and the id of a lane's owner. */
export function kindAndId(owner: string): [OwnerKind, string] {
  const colon = owner.indexOf(":");
  return colon < 0 ? ["source", owner] : [owner.slice(0, colon) as OwnerKind, owner.slice(colon + 1)];
}

/** The owner and the parameter of a lane's key. */
export function ownerAndParameter(key: string): [string, string] {
  const slash = key.lastIndexOf("/");
  return [key.slice(0, slash), key.slice(slash + 1)];
}

/** What a setting of an effect is called as something that a hand holds. */
export const effectControl = (owner: string, effect: string, name: string): string =>
  `effect:${owner}/${effect}.${name}`;

/** What a value of a place that a source is dealt to is called as something that a hand holds. */
export const placeControl = (source: string, place: string, name: string): string =>
  `deal:${source}/${place}.${name}`;

/** The source and the return of a send's id. */
export const endsOfSend = (id: string): [string, string] => id.split("/") as [string, string];
