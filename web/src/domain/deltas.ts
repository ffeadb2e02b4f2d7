/** Deltas: what has changed of the document, as the server tells it; applied to the one that is known here. */
import { must } from "./must";
import type { Schemas } from "./model";

export type Change = Schemas["EntityChange"];
type Document = Schemas["DocumentOut"];
type Row = Record<string, unknown>;

/** A row as a change leaves it; null where it is removed. The one before stays as it is. */
function rowAfter(change: Change, before: Row | undefined): Row | null {
  if (!change.fields && !change.points && !change.cleared) return change.value ?? null;
  const after: Row = { ...before };
  for (const name of change.cleared ?? []) delete after[name];
  Object.assign(after, change.fields);
  if (change.points) {
    const { at, removed, inserted } = change.points;
    after.points = (before?.points as unknown[]).toSpliced(at, removed, ...inserted);
  }
  return after;
}

/** The document with a delta applied; the given one stays as it is, and what does not change is shared. */
export function applyDelta(document: Document, delta: Change[]): Document {
  const next = { ...document } as unknown as Record<string, Row>;
  for (const change of delta) {
    const { part, key } = change;
    if (part === "session") {
      next.session = must(rowAfter(change, next.session));
      continue;
    }
    const rows = { ...next[part] };
    const after = rowAfter(change, rows[key] as Row | undefined);
    if (after === null) delete rows[key];
    else rows[key] = after;
    next[part] = rows;
  }
  return next as unknown as Document;
}
