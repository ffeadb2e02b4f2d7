/** Our paper, inks and corners: for Ant Design Vue's parts, and for who and what is told apart by colour. */
import { must } from "@/domain/must";
import { theme as antTheme } from "ant-design-vue";
import { palette } from "./palette";

/** Ant Design Vue's tokens on the paper that lies on the desk. */
export const themeOn = (paper: typeof palette) => ({
  algorithm: paper.night ? antTheme.darkAlgorithm : antTheme.defaultAlgorithm,
  token: {
    colorPrimary: paper.ink,
    colorInfo: paper.ink,
    colorLink: paper.right,
    colorSuccess: paper.right,
    colorError: paper.wrong,
    colorWarning: paper.lampInk,
    colorText: paper.ink,
    colorTextSecondary: paper.quiet,
    colorTextPlaceholder: paper.quiet,
    colorTextLightSolid: paper.raised,
    colorBgBase: paper.raised,
    colorBgContainer: paper.raised,
    colorBgElevated: paper.raised,
    colorBorder: paper.ruleStrong,
    colorBorderSecondary: paper.rule,
    borderRadius: 3,
    borderRadiusLG: 4,
    borderRadiusSM: 3,
    fontFamily: '"IBM Plex Sans", sans-serif',
    fontSize: 14,
    controlHeight: 32,
    boxShadow: "0 3px 12px rgb(32 38 43 / 16%)",
    boxShadowSecondary: "0 3px 12px rgb(32 38 43 / 16%)",
    wireframe: true,
  },
});

/** Ten inks for sources, told apart in common colour blindness, each at least 3:1 on paper. */
export const INKS = [
  "#2e5e8c",
  "#b23a48",
  "#5b4fb0",
  "#7d6b00",
  "#a2307a",
  "#2f7d3b",
  "#7a4a2b",
  "#1577b8",
  "#9256b8",
  "#4a545c",
];

/** The same by lamplight. */
const NIGHT_INKS = [
  "#7fb0e0",
  "#f08a94",
  "#a79df2",
  "#cdb84a",
  "#e07fbd",
  "#74c480",
  "#d09a74",
  "#5fbdf5",
  "#c99be8",
  "#aab4bc",
];

const DASHES = [[], [9, 3], [2, 3], [9, 3, 2, 3]];

/** Colours of people, in the order in which they joined: dark letters on them are read on any paper. */
export const PEOPLE = ["#c9952f", "#5f9ea0", "#bb8aae", "#7a9a4a", "#d07e5e", "#8291c6"];

export const inkOf = (index: number): string =>
  must((palette.night ? NIGHT_INKS : INKS)[index % INKS.length]);

/** How a source's line is broken, for who tells few inks apart; neighbours in the list differ. */
export const dashOf = (index: number): number[] => (palette.apart ? must(DASHES[index % DASHES.length]) : []);
export const personColour = (index: number): string => must(PEOPLE[index % PEOPLE.length]);

/** The first letters of a name. */
export const initials = (name: string): string =>
  name
    .split(/\s+/)
    .map((word) => word.charAt(0))
    .join("")
    .slice(0, 2)
    .toUpperCase();
