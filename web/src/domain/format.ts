/** Numbers as engineers write and type them. */
import { t } from "@/words";
import { units } from "./units";

/** A number with the tenth to which it was set; what moves between them, and a whole one, is shown whole. */
export function tenths(value: number, per = 100): string {
  const inTenths = value * per * 10;
  const whole = Math.round(inTenths);
  const isSetToATenth = Math.abs(inTenths - whole) < 1e-6 && whole % 10 !== 0;
  return isSetToATenth ? (whole / 10).toFixed(1) : String(Math.round(value * per));
}

/** L31, C, R31; or −31, 0, +31 for who likes that better. */
export function panText(pan: number): string {
  const shown = tenths(Math.abs(pan));
  if (units.places === "signed") return shown === "0" ? "0" : `${pan < 0 ? "−" : "+"}${shown}`;
  return shown === "0" ? "C" : `${pan < 0 ? "L" : "R"}${shown}`;
}

/** A part of the field: over L100 to C. */
export const partText = ({ from, to }: { from: number; to: number }): string =>
  t("format.over", { from: panText(from), to: panText(to) });

/** The place of a source, or of both its sides: L20 to R30. */
export const endsText = (ends: readonly { at: number }[]): string =>
  ends.length < 2
    ? ends.map((end) => panText(end.at)).join("")
    : t("format.fromTo", { from: panText(ends[0]?.at ?? 0), to: panText(ends[1]?.at ?? 0) });

/** Mono, stereo, or how many channels. */
export const channelsText = (count: number): string =>
  count === 1 ? t("format.mono") : count === 2 ? t("format.stereo") : t("format.channels", { count });

/** L30, 30L, -30, R30, 30, c all work; null for anything else. */
export function parsePan(text: string): number | null {
  const tidy = text.trim().toLowerCase().replace("−", "-");
  if (tidy === "c") return 0;
  const match = /^([lr])?\s*([+-]?\d+(?:\.\d+)?)\s*([lr])?$/.exec(tidy);
  if (!match || (match[1] && match[3])) return null;
  const side = match[1] ?? match[3];
  const amount = Number(match[2]) / 100;
  const pan = side === "l" ? -Math.abs(amount) : side === "r" ? Math.abs(amount) : amount;
  return Math.abs(pan) <= 1 ? pan : null;
}

export const OFF_DB = -96;
export const LEVEL_TOP = 12;

/** −8.5 dB, +3 dB, or off. */
export function levelText(level: number): string {
  return level <= OFF_DB ? "off" : `${decibels(level).replace(".0", "").replace("+0", "0")} dB`;
}

/** −8.5 with a true minus sign. */
export function decibels(value: number, digits = 1): string {
  const text = Math.abs(value).toFixed(digits);
  return Number(text) === 0 ? text : `${value < 0 ? "−" : "+"}${text}`;
}

/** -8.5, −8.5 dB, off; null for anything else. */
export function parseLevel(text: string): number | null {
  const tidy = text
    .trim()
    .toLowerCase()
    .replace("−", "-")
    .replace(/\s*db$/, "");
  if (tidy === "off" || tidy === "-inf") return OFF_DB;
  if (!/^[+-]?\d+(\.\d+)?$/.test(tidy)) return null;
  const level = Number(tidy);
  return level <= LEVEL_TOP && level >= OFF_DB ? level : null;
}

/** "R 1.7 dB" or "even": a lean in words. */
export function leanText(lean: number | null | undefined): string {
  if (lean === null || lean === undefined || Number.isNaN(lean)) return "–";
  if (Math.abs(lean) < 0.05) return t("format.even");
  return `${lean < 0 ? "L" : "R"} ${Math.abs(lean).toFixed(1)} dB`;
}

export const sideClass = (value: number | null | undefined): string =>
  !value || Math.abs(value) < 0.005 ? "" : value < 0 ? "side-left" : "side-right";

export const clamp = (value: number, low: number, high: number): number =>
  Math.min(Math.max(value, low), high);

/** 80 % */
export const percentText = (share: number): string => `${tenths(share)} %`.replace("-", "−");

/** 80, 80 %, -50; null beyond the limits or for anything else. */
export function parsePercent(text: string, low: number, high: number): number | null {
  const tidy = text.trim().replace("−", "-").replace(/\s*%$/, "");
  if (!/^[+-]?\d+(\.\d+)?$/.test(tidy)) return null;
  const share = Number(tidy) / 100;
  return share >= low && share <= high ? share : null;
}

/**
 * How many quarter-note beats: 1.5, a note value 1/8, dotted 1/4. or in triplets 1/8t, or so many bars 2b; null for
 * anything else. A fraction is always of a whole note.
 */
export function parseBeats(text: string, beatsPerBar: number): number | null {
  const tidy = text
    .trim()
    .toLowerCase()
    .replace(/\s*beats?$/, "");
  const note = /^(\d+)\/(\d+)\s*(\.|d|t)?$/.exec(tidy);
  if (note) {
    const factor = { "": 1, ".": 3 / 2, d: 3 / 2, t: 2 / 3 }[note[3] ?? ""] ?? 1;
    return Number(note[2]) ? (4 * Number(note[1]) * factor) / Number(note[2]) : null;
  }
  const plain = /^(\d*\.?\d+)\s*(b|bars?)?$/.exec(tidy);
  return plain ? Number(plain[1]) * (plain[2] ? beatsPerBar : 1) : null;
}

/** F25, middle, B50: how far in front of or behind the listener. */
export function depthText(front: number): string {
  const shown = tenths(Math.abs(front));
  return shown === "0" ? t("format.middle") : `${front < 0 ? "B" : "F"}${shown}`;
}

/** F25, 25B, -50, 0 all work; null for anything else. */
export function parseDepth(text: string): number | null {
  const tidy = text.trim().toLowerCase().replace("−", "-");
  if (tidy === "middle" || tidy === "m") return 0;
  const match = /^([fb])?\s*([+-]?\d+(?:\.\d+)?)\s*([fb])?$/.exec(tidy);
  if (!match || (match[1] && match[3])) return null;
  const side = match[1] ?? match[3];
  const amount = Number(match[2]) / 100;
  const depth = side === "b" ? -Math.abs(amount) : side === "f" ? Math.abs(amount) : amount;
  return Math.abs(depth) <= 1 ? depth : null;
}

/** +20 %: how far above or below the ear. */
export const heightText = (height: number): string => `${height > 0.004 ? "+" : ""}${percentText(height)}`;

/** 71° left · up 18°; in front, behind. */
export function directionText(azimuth: number, elevation: number): string {
  const [side, up] = [Math.round(azimuth), Math.round(elevation)];
  const turned = Math.abs(side);
  const flat =
    turned === 0
      ? t("format.inFront")
      : turned === 180
        ? "behind"
        : `${turned}° ${side > 0 ? "left" : "right"}`;
  if (Math.abs(up) >= 89) return up > 0 ? t("format.straightAbove") : t("format.straightBelow");
  return up ? `${flat} · ${up > 0 ? "up" : "down"} ${Math.abs(up)}°` : flat;
}
