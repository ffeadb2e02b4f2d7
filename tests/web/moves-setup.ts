/** A session of three sources, one of which moves and one could, as the stores of the Move desk begin with it. */
import { useSelection } from "@/session/selection";
import { useChartView } from "@/session/view";

import { useLibrary } from "@/session/library";

import { usePlayer } from "@/audio/player";

import { ROOMS, Desk, source } from "./desk";

export const point = (t: number, value: number, shape = "straight") => ({ t, value, shape, tension: 0 });
const parts = () => ({
  sources: {
    oars: source("oars", 0, { pan: 0.1 }),
    gulls: source("gulls", 1, { channels: 2, mode: "sides", pan_left: -0.4, pan_right: 0.4 }),
    drum: source("drum", 2, { pan: -0.5 }),
  },
  lanes: {
    "oars/pan": { id: "oars/pan", owner: "oars", parameter: "pan", points: [point(0, -1), point(8, 1)] },
    "drum/pan": { id: "drum/pan", owner: "drum", parameter: "pan", off: true, points: [point(0, 1)] },
  },
});

export async function atDesk() {
  const desk = new Desk(parts(), 8);
  vi.stubGlobal("navigator", {});
  const session = await desk.open();
  const library = useLibrary();
  library.library = {
    ...ROOMS,
    modes: [
      { name: "pan", parameters: ["pan"] },
      { name: "sides", parameters: ["pan_left", "pan_right"] },
    ],
  } as never;
  const view = useChartView();
  const player = usePlayer();
  useSelection().choose("oars");
  return { desk, session, view, player };
}
