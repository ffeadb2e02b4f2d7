/** Ids that nobody else makes. */

/** A random id (RFC 9562, version 4); at insecure addresses browsers make none by themselves. */
export function uuid(): string {
  if (crypto.randomUUID) return crypto.randomUUID();
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  bytes[6] = ((bytes[6] ?? 0) & 0x0f) | 0x40;
  bytes[8] = ((bytes[8] ?? 0) & 0x3f) | 0x80;
  const text = Array.from(bytes, (byte) => byte.toString(16).padStart(2, "0")).join("");
  return text.replace(/^(.{8})(.{4})(.{4})(.{4})/, "$1-$2-$3-$4-");
}
