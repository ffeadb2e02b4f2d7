/** Our paper, ink and corners as Ant Design Vue's tokens. */
export const theme = {
  token: {
    colorPrimary: "#20262b",
    colorInfo: "#20262b",
    colorLink: "#1f6f78",
    colorSuccess: "#1f6f78",
    colorError: "#8f2d1d",
    colorWarning: "#8a6414",
    colorText: "#20262b",
    colorTextSecondary: "#5a6664",
    colorBgBase: "#fbf8f0",
    colorBgContainer: "#fbf8f0",
    colorBgElevated: "#fbf8f0",
    colorBorder: "#b4c8bc",
    colorBorderSecondary: "#cfdcd3",
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
};

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

/** Colours of people, in the order in which they joined. */
export const PEOPLE = ["#c9952f", "#5f9ea0", "#b07aa1", "#7a9a4a", "#c26a4a", "#6f7fb8"];

export const inkOf = (index: number): string => INKS[index % INKS.length]!;
export const personColour = (index: number): string => PEOPLE[index % PEOPLE.length]!;

/** The first letters of a name. */
export const initials = (name: string): string =>
  name
    .split(/\s+/)
    .map((word) => word.charAt(0))
    .join("")
    .slice(0, 2)
    .toUpperCase();
