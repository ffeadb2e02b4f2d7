/** The first look round: one mark for each desk, in the order of the work. */

export interface Mark {
  desk: string;
  title: string;
  says: string;
  /** What the mark points at on the page. */
  at: string;
}

export const MARKS: Mark[] = [
  {
    desk: "place",
    title: "Place",
    says: "Every source stands where you hear it: left is left. Drag one across for its place, up and down for its level, or use the small rule in the list. Space plays.",
    at: "svg.field, svg.room",
  },
  {
    desk: "move",
    title: "Move",
    says: "Time runs down the page. Double-click for a point, drag it, pick a stretch and shift it, or record what your hand does. The filled ribbon shows which way the mix leans.",
    at: ".chart",
  },
  {
    desk: "pulse",
    title: "Pulse",
    says: "Let the chosen source move in rhythm, or deal its notes to several places. The beats that fall silent are marked; F turns the wave over.",
    at: ".pulse-desk",
  },
  {
    desk: "balance",
    title: "Balance",
    says: "The lean of the whole piece, and which sources cause it. Press a flag, hear its causes with C, try a counterweight and compare with B.",
    at: ".lean-chart",
  },
  {
    desk: "hand-over",
    title: "Hand over",
    says: "The mix, its stems, its objects and moves in open formats, with a report of the balance. Files are made while you go on working.",
    at: "form.order, .made",
  },
];
