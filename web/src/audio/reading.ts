/** What is measured of what sounds now, a number at a time. */
import { decibels } from "@/domain/format";
import { usePlayer } from "./player";

/** Below this (dB) nothing sounds. */
const SILENT_DB = -119;

export function useReading() {
  const player = usePlayer();

  /** A measured value by its name; none where nothing sounds or it cannot be told. */
  function number(name: string): number | null {
    const value = player.now?.[name];
    return value === undefined || Number.isNaN(value) ? null : value;
  }

  /** A level as it is written, without a plus; a dash for silence. */
  const level = (value: number | null): string =>
    value === null || value <= SILENT_DB ? "–" : decibels(value).replace("+", "");

  return { number, level };
}
