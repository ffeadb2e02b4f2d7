/** Which key each shortcut has: the one that it comes with, or the one that somebody has set for themselves. */
import { CHANGEABLE, keyName, keyOf } from "./keyNames";
import { usePreferences } from "./preferences";

export function useShortcutKeys() {
  const preferences = usePreferences();

  const keyNow = (shortcut: string): string => keyOf(preferences.liked.shortcuts, shortcut);
  const nameNow = (shortcut: string): string => keyName(preferences.liked.shortcuts, shortcut);

  /** What a pressed key means: the shortcut that has it, with Shift as it was pressed; nothing if it has none now. */
  function shortcutOf(pressed: string): string {
    const key = pressed.toLowerCase();
    const shortcut = CHANGEABLE.find((one) => keyNow(one) === key);
    if (shortcut === undefined) return CHANGEABLE.includes(key) ? "" : pressed;
    return key === pressed ? shortcut : shortcut.toUpperCase();
  }

  /** Give a shortcut a key, or none; whoever has that key takes the one that becomes free. */
  function setKey(shortcut: string, key: string): Promise<void> {
    const shortcuts = { ...preferences.liked.shortcuts };
    const other = key && CHANGEABLE.find((one) => one !== shortcut && keyNow(one) === key);
    if (other) shortcuts[other] = keyNow(shortcut);
    shortcuts[shortcut] = key;
    for (const [one, its] of Object.entries(shortcuts)) if (its === one) delete shortcuts[one];
    return preferences.set({ shortcuts });
  }

  const reset = (): Promise<void> => preferences.set({ shortcuts: {} });

  /** Keys as a text names them, with one's own in place of those of some shortcuts. */
  const shown = (text: string, shortcuts: readonly string[]): string =>
    text.replace(
      /(?<![A-Za-z])(Shift\+)?([A-Z0-9[\],.])(?![A-Za-z0-9])/g,
      (whole, shift = "", key: string) => {
        const shortcut = key.toLowerCase();
        return shortcuts.includes(shortcut) ? `${shift}${nameNow(shortcut)}` : whole;
      },
    );

  return { keyOf: keyNow, nameOf: nameNow, shortcutOf, setKey, reset, shown };
}
