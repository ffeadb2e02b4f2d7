/** What must be there: the rest of the code may count on it, and what is missing is found where it is missing. */
export function must<T>(value: T | null | undefined): T {
  if (value === undefined || value === null) throw new TypeError("A value that must be there is missing.");
  return value;
}
