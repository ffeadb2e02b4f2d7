/** A session without a server: a document, a wire that remembers what was said on it, and answers as they are wanted. */
import type { Source } from "@/domain/model";
import { createPinia, setActivePinia } from "pinia";
import type { Schemas } from "@/api/http";
import { useSession } from "@/session/session";
import { Wire } from "./wire";

export const source = (id: string, order: number, values: Partial<Source> = {}): Source => ({
  id, name: id, colour: order, order, asset: "0".repeat(64), channels: 1, first_channel: 0, seconds: 10, start: 0, gain: 0, level: -6,
  muted: false, group: "", mode: "pan", pan: 0, pan_left: -1, pan_right: 1, level_left: 0, level_right: 0, width_left: 0, width_right: 0, span: 1, width: 1,
  swap_channels: false, invert_left: false, invert_right: false, delay_panning: "off", delay_panning_ms: 0.7, level_share: 0, double: false,
  double_ms: 0, double_trim: 0, front: 1, height: 0, front_left: 1, front_right: 1, height_left: 0, height_right: 0,
  spread: 0, rotation: 0, centre_level: 1, lfe: -96, trim: 0, snap: false, direct_muted: false, frozen_asset: "", frozen_fingerprint: "", ...values,
}); // prettier-ignore

const speaker = (name: string, label: string, group: string, azimuth: number, place: number[]) => ({
  name, label, group, lfe: group === "lfe", azimuth, elevation: 0, place, fold: [0, 0], mirrored: 0,
}); // prettier-ignore

/** What the library says of loudspeakers. */
export const ROOMS = {
  layouts: [
    { name: "0+2+0", title: "Stereo", surround: false, channels: [], fold_gains: {} },
    {
      name: "0+5+0",
      title: "Five and LFE",
      surround: true,
      fold_gains: { stereo: 1.61, mono: 1.66 },
      channels: [
        speaker("M+030", "L", "front", 30, [-1, 1, 0]),
        speaker("M-030", "R", "front", -30, [1, 1, 0]),
        speaker("M+000", "C", "centre", 0, [0, 1, 0]),
        speaker("LFE1", "LFE", "lfe", 0, [0, 0, 0]),
        speaker("M+110", "Ls", "sides", 110, [-1, -1, 0]),
        speaker("M-110", "Rs", "sides", -110, [1, -1, 0]),
      ],
    },
  ],
  speaker_groups: ["centre", "front", "sides", "back", "above"],
};

type Change = { part: string; key: string; value: unknown };
type Posted = {
  method?: string;
  path: string;
  body: { client_id: string; operation: Record<string, unknown> };
};

export class Desk {
  posted: Posted[] = [];
  asked: string[] = [];
  revision = 5;
  /** What a post is answered with: the changes it makes, or a sentence that refuses it. */
  answers: (Change[] | string)[] = [];
  /** Whether posts are answered; otherwise they wait as on a slow line. */
  quick = true;
  layout = "0+2+0";
  /** What else is answered to those who ask, by a part of the path. */
  gives: Record<string, (path: string) => unknown> = {};
  /** What those get who post to a part of a path, if it is no change; a sentence refuses it. */
  /** What the next undo and redo would be, as the server tells it. */
  turns: Schemas["TurnsOut"] = { undo: null, redo: null };
  takes: Record<string, (body: Record<string, unknown>) => unknown> = {};
  private waiting: (() => void)[] = [];

  constructor(
    private readonly parts: Record<string, Record<string, unknown>>,
    private readonly length = 0,
  ) {
    vi.stubGlobal("document", { cookie: "csrftoken=abc" });
    vi.stubGlobal("window", { addEventListener: vi.fn(), removeEventListener: vi.fn() });
    vi.stubGlobal("location", { protocol: "http:", host: "here" });
    vi.stubGlobal("WebSocket", Wire);
    vi.stubGlobal("fetch", (path: string, options?: { method?: string; body?: string }) =>
      this.answer(path, options?.body, options?.method),
    );
    setActivePinia(createPinia());
  }

  get wire(): Wire {
    return Wire.latest;
  }

  private frame() {
    const bars = [0, 1, 2, 3].map((i) => ({
      bar: i + 1, times: [0, 0.5, 1, 1.5].map((at) => i * 2 + at), beat: i * 4, unit: 4,
    })); // prettier-ignore
    const shapes = {
      steps: 2,
      shapes: { straight: [[0, 1]], ease: [[0, 1]], hold: [[0, 0]], curve: [[0, 1]] },
    };
    const gains = { positions: 3, law: [[1, 0], [0.7, 0.7], [0, 1]], balance: [[1, 0], [1, 1], [0, 1]], levels: [1] }; // prettier-ignore
    return { revision: this.revision, length: 8, bars, gains, shapes };
  }

  private async answer(path: string, body?: string, method = "POST"): Promise<Response> {
    this.asked.push(path);
    const json = (found: unknown, status = 200): Response => new Response(JSON.stringify(found), { status });
    if (method === "DELETE") {
      this.posted.push({ method, path, body: JSON.parse(body ?? "{}") as Posted["body"] });
      const refusal = this.answers.shift();
      return typeof refusal === "string"
        ? json({ detail: refusal }, 422)
        : new Response(null, { status: 204 });
    }
    const given = body ? undefined : Object.entries(this.gives).find(([part]) => path.includes(part));
    if (given) return json(await given[1](path));
    if (path.endsWith("/frame")) return json(this.frame());
    if (path.includes("operations?since")) return json([]);
    if (path.endsWith("/turns")) return json(this.turns);
    if (path.endsWith("/comments") && !body) return json([]);
    if (!body) {
      const settings = {
        name: "Test", rate: 48000, length: this.length, layout: this.layout, tempos: [[0, 120]], metres: [[1, 4, 4]],
        law: "constant-power", centre_zero: false,
      }; // prettier-ignore
      const empty = { sources: {}, lanes: {}, passages: {}, groups: {}, returns: {}, sends: {}, pulses: {}, deals: {}, events: {}, speaker_routing: {}, layers: {}, room: {} }; // prettier-ignore
      const document = { session: settings, ...empty, ...this.parts };
      return json({
        id: "s",
        revision: this.revision,
        role: "engineer",
        document,
        frame: this.frame(),
        turns: this.turns,
        people: [],
      });
    }
    const sent = JSON.parse(body) as Posted["body"];
    this.posted.push(method === "POST" ? { path, body: sent } : { method, path, body: sent });
    const taken = Object.entries(this.takes).find(([part]) => path.includes(part));
    const found = await taken?.[1](sent);
    if (found instanceof Response) return found;
    if (taken)
      return json(
        typeof found === "string" ? { detail: found } : found,
        typeof found === "string" ? 422 : 200,
      );
    const answer = this.answers.shift() ?? [];
    if (!this.quick) await new Promise<void>((go) => this.waiting.push(go));
    if (typeof answer === "string") return json({ detail: answer }, 422);
    return json({ revision: this.told(answer, sent.client_id), notice: null, turns: this.turns });
  }

  /** A revision as everybody is told of it. */
  told(changes: Change[], client_id = "theirs") {
    this.revision += 1;
    return {
      type: "revision", revision: this.revision, client_id, author: { id: 2, name: "Ines" }, kind: "any", summary: "",
      overwrote: [], delta: changes,
    }; // prettier-ignore
  }

  /** Something comes in over the wire. */
  hear(message: unknown): void {
    this.wire.onmessage?.({ data: JSON.stringify(message) });
  }

  release(): void {
    this.quick = true;
    this.waiting.splice(0).forEach((go) => go());
  }

  async open() {
    const session = useSession();
    await session.open("s");
    await settle();
    return session;
  }

  get operations(): Record<string, unknown>[] {
    return this.posted.map((one) => one.body.operation);
  }

  get previews(): Record<string, unknown>[] {
    return this.wire.said.filter((one) => one.type === "preview");
  }
}

export async function settle(): Promise<void> {
  for (let i = 0; i < 12; i += 1) await Promise.resolve();
  await new Promise((resolve) => setImmediate(resolve));
}
