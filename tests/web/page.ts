/**
 * The whole page of a session, mounted without a browser: real components and stores, and a server that answers what
 * the real one has answered (tests/data/answers.json, recorded and held to be current by tests/server/test_answers.py).
 */
import { useDialogKeys } from "@/ui/dialogKeys";
import { words } from "@/words";
import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { ConfigProvider } from "ant-design-vue";
import Notices from "@/ui/Notices.vue";
import { createPinia, disposePinia, setActivePinia, type Pinia } from "pinia";
import { defineComponent, h, type ComponentOptions } from "vue";
import { createMemoryHistory, createRouter, RouterView } from "vue-router";
import type { Schemas } from "@/api/http";
import recorded from "../data/answers.json";
import { Wire } from "./wire";

export const SESSION = "00000000-0000-4000-8000-000000000001";
/** How long something may take on a busy machine (ms); nothing waits for it to pass. */
const PATIENCE = Number(process.env.NEEDLE_PATIENCE ?? 60_000);
export type Kind = keyof typeof recorded;
type Answer = (body: Record<string, unknown>, path: string) => unknown;

/** What is drawn on a canvas is of no matter here: every call is taken. */
function paper(): unknown {
  const measured = { width: 10, actualBoundingBoxAscent: 8, actualBoundingBoxDescent: 2 };
  const kept: Record<string, unknown> = { measureText: () => measured };
  return new Proxy(kept, { get: (_, name: string) => (name in kept ? kept[name] : paper) });
}

/** Everything has a size, as on a page of 1280 × 800. */
function lay(): void {
  const box = { x: 0, y: 0, left: 0, top: 0, width: 720, height: 600, right: 720, bottom: 600 };
  Element.prototype.getBoundingClientRect = () => ({ ...box, toJSON: () => box });
  for (const [name, value] of [["clientWidth", 720], ["clientHeight", 600], ["offsetWidth", 720], ["offsetHeight", 600]] as const)
    Object.defineProperty(HTMLElement.prototype, name, { configurable: true, get: () => value }); // prettier-ignore
  vi.stubGlobal(
    "ResizeObserver",
    class {
      constructor(private readonly told: (entries: unknown[], self: unknown) => void) {}
      observe(target: Element): void {
        const size = [{ inlineSize: 720, blockSize: 600 }];
        this.told([{ target, contentRect: box, contentBoxSize: size, borderBoxSize: size }], this);
      }
      unobserve(): void {}
      disconnect(): void {}
    },
  );
  HTMLCanvasElement.prototype.getContext = (() => paper()) as never;
  Element.prototype.scrollIntoView = () => undefined;
  Element.prototype.setPointerCapture = () => undefined;
  Element.prototype.releasePointerCapture = () => undefined;
  Element.prototype.hasPointerCapture = () => true;
}

export interface Posted {
  method: string;
  path: string;
  body: Record<string, unknown>;
}

/** A page with its server. */
export class Page {
  posted: Posted[] = [];
  /** What the next undo and redo would be, as the server tells it. */
  turns: Schemas["TurnsOut"] = { undo: null, redo: null };
  /** What was asked for and nobody could answer: a page asks for nothing that is not recorded. */
  unknown: string[] = [];
  /** Faults that a component has let through. */
  faults: unknown[] = [];
  answers: Record<string, unknown>;
  /** What is answered otherwise than it was recorded, by the end of the path. */
  gives: Record<string, Answer> = {};
  /** What every component is given besides. */
  mixins: ComponentOptions[] = [];
  wrapper!: VueWrapper;
  revision: number;
  private readonly pinia: Pinia;

  constructor(kind: Kind = "stereo", role?: string) {
    this.answers = structuredClone(recorded[kind]);
    this.open.role = role ?? this.open.role;
    this.revision = this.open.revision;
    localStorage.clear();
    lay();
    vi.stubGlobal("WebSocket", Wire);
    vi.stubGlobal("fetch", (path: string, options: { method?: string; body?: unknown } = {}) =>
      this.answer(path, options.method ?? "GET", options.body),
    );
    setActivePinia((this.pinia = createPinia()));
  }

  /** The session as it is opened. */
  get open(): Schemas["OpenSession"] {
    return this.answers[""] as Schemas["OpenSession"];
  }

  get wire(): Wire {
    return Wire.latest;
  }

  get operations(): Record<string, unknown>[] {
    return this.posted
      .filter((one) => one.path.endsWith("/operations"))
      .map((one) => one.body.operation as Record<string, unknown>);
  }

  private async answer(whole: string, method: string, sent: unknown): Promise<Response> {
    await Promise.resolve();
    const [path = ""] = whole.split("?");
    const json = (found: unknown, status = 200): Response => new Response(JSON.stringify(found), { status });
    const body = typeof sent === "string" ? (JSON.parse(sent) as Record<string, unknown>) : {};
    const rest = path.replace(`/api/sessions/${SESSION}`, "");
    if (method !== "GET") this.posted.push({ method, path: rest, body });
    const given = Object.entries(this.gives).find(([end]) => path.endsWith(end));
    if (given) {
      const found = await given[1](body, whole);
      if (found instanceof Response) return found;
      return typeof found === "string" ? json({ detail: found }, 422) : json(found);
    }
    if (rest === "/operations" && method === "GET") return json([]);
    if (/^\/(operations|undo|redo|tempo|history\/\d+\/restore)$/.test(rest))
      return json({ revision: this.revised(String(body.client_id)), notice: "", turns: this.turns });
    if (rest === "/turns") return json(this.turns);
    if (rest === "/frame") return json({ ...(this.answers[rest] as object), revision: this.revision });
    if (rest in this.answers) return json(this.answers[rest]);
    if (method !== "GET") return json({});
    this.unknown.push(`${method} ${whole}`);
    return json({ detail: "not recorded" }, 404);
  }

  /** A revision that changes nothing, as it is told to everybody: what is shown is what was asked for. */
  revised(client_id = "theirs", changes: unknown[] = []): Record<string, unknown> {
    this.revision += 1;
    return {
      type: "revision", revision: this.revision, client_id, author: { id: 2, name: "Olga" }, kind: "any", summary: "A change",
      overwrote: [], delta: changes,
    }; // prettier-ignore
  }

  /** Something comes in over the live channel. */
  async hear(message: unknown): Promise<void> {
    this.wire.onmessage?.({ data: JSON.stringify(message) });
    await settle();
  }

  /** Mount the application at an address. */
  async at(path: string): Promise<VueWrapper> {
    const { router: real } = await import("@/app/router");
    const router = createRouter({ history: createMemoryHistory(), routes: real.options.routes });
    await router.push(path);
    await router.isReady();
    const Frame = defineComponent(() => {
      useDialogKeys();
      return () => h(ConfigProvider, {}, () => [h(RouterView), h(Notices)]);
    });
    this.wrapper = mount(Frame, {
      attachTo: document.body,
      global: {
        plugins: [router, words],
        mixins: this.mixins,
        stubs: { transition: false, "transition-group": false },
        config: { errorHandler: (error) => this.faults.push(error), warnHandler: () => undefined },
      },
    });
    await settle();
    return this.wrapper;
  }

  /** Mount the session at a desk. */
  async desk(name: string): Promise<VueWrapper> {
    const { useAccount } = await import("@/account/account");
    await useAccount().arrive();
    return this.at(`/sessions/${SESSION}/${name}`);
  }

  /** What is seen: the page and whatever dialogs stand over it. */
  get text(): string {
    return document.body.textContent ?? "";
  }

  /** An element by what it is for those who do not see it: its role, and its name. */
  named(selector: string, name: string | RegExp): HTMLElement {
    const found = [...document.body.querySelectorAll<HTMLElement>(selector)].filter((one) => {
      const told = nameOf(one);
      return typeof name === "string" ? told === name : name.test(told);
    });
    if (!found.length) throw new Error(`nothing of ${selector} is named ${String(name)}`);
    return found[0]!;
  }

  button(name: string | RegExp): HTMLButtonElement {
    return this.named("button, a[href], [role=tab]", name) as HTMLButtonElement;
  }

  field(name: string | RegExp): HTMLInputElement {
    return this.named("input, select, textarea", name) as HTMLInputElement;
  }

  async press(name: string | RegExp): Promise<void> {
    this.button(name).click();
    await settle();
  }

  async type(name: string | RegExp, value: string): Promise<void> {
    const field = this.field(name);
    field.focus();
    field.value = value;
    field.dispatchEvent(new Event("input", { bubbles: true }));
    field.dispatchEvent(new Event("change", { bubbles: true }));
    await this.key("Enter", field);
  }

  async key(key: string, on: Element = document.body, how: KeyboardEventInit = {}): Promise<void> {
    for (const kind of ["keydown", "keyup"]) {
      const event = new KeyboardEvent(kind, { key, bubbles: true, cancelable: true, ...how });
      // The kit's dialogs know Escape by its number.
      if (key === "Escape") Object.defineProperty(event, "keyCode", { value: 27 });
      on.dispatchEvent(event);
    }
    await settle();
  }

  /** The dialog that stands uppermost. */
  get dialog(): HTMLElement | undefined {
    return [...document.body.querySelectorAll<HTMLElement>("[role=dialog]")]
      .filter((one) => !one.closest<HTMLElement>("[style*='display: none']"))
      .at(-1);
  }

  /** Choose of a list. */
  async choose(name: string | RegExp, label: string): Promise<void> {
    const list = this.field(name) as unknown as HTMLSelectElement;
    const option = [...list.options].find((one) => one.textContent?.trim() === label);
    if (!option)
      throw new Error(
        `${String(name)} has no ${label}: ${[...list.options].map((one) => one.text).join(", ")}`,
      );
    list.value = option.value;
    list.dispatchEvent(new Event("change", { bubbles: true }));
    await settle();
  }

  /** Wait until something is so: what is asked for after a moment's rest, or fades. */
  async until(condition: () => boolean, what: string): Promise<void> {
    await vi.waitFor(() => expect(condition(), what).toBe(true), { timeout: PATIENCE, interval: 5 });
    await settle();
  }

  slider(name: string): HTMLElement {
    return this.named("[role=slider]", name);
  }

  /** Drag with a pointer from place to place of the page (px); everything measures 720 × 600 from its corner. */
  async drag(what: Element, ...places: [x: number, y: number][]): Promise<void> {
    const point = (kind: string, [clientX, clientY]: [number, number]) =>
      what.dispatchEvent(
        new PointerEvent(kind, {
          bubbles: true, cancelable: true, clientX, clientY, button: 0, buttons: 1, isPrimary: true, pointerId: 1,
        }),
      ); // prettier-ignore
    point("pointerdown", places[0]!);
    for (const place of places.slice(1)) point("pointermove", place);
    await settle();
    point("pointerup", places.at(-1)!);
    await settle();
  }

  /** Give files to a field that takes them. */
  async give(name: string, ...files: File[]): Promise<void> {
    const field = this.field(name);
    Object.defineProperty(field, "files", { configurable: true, value: files });
    field.dispatchEvent(new Event("change", { bubbles: true }));
    await settle();
  }

  /** Press with the key held that adds to what is chosen. */
  async besides(name: string): Promise<void> {
    this.button(name).dispatchEvent(new MouseEvent("click", { bubbles: true, ctrlKey: true }));
    await settle();
  }

  /** Something of the session is otherwise now, as a colleague's change tells it. */
  async changed(part: string, key: string, value: unknown): Promise<void> {
    await this.hear(this.revised("theirs", [{ part, key, value }]));
  }

  /** The latest change that was sent. */
  get latest(): Record<string, unknown> | undefined {
    return this.operations.at(-1);
  }

  /** Close it after a test, which must have let no fault through and asked for nothing unknown. */
  end(): void {
    this.close();
    expect(this.faults.map(String).join("\n")).toBe("");
    expect(this.unknown.join("\n")).toBe("");
  }

  close(): void {
    this.wrapper.unmount();
    disposePinia(this.pinia);
    document.body.innerHTML = "";
    vi.unstubAllGlobals();
  }
}

/** Somebody in the session, as the live channel tells of them. */
export const person = (values: object = {}) => ({
  tab: "t1", id: 2, name: "Emil", role: "engineer", colour: 1, chosen: null, playhead: 0, away: false, ...values,
}); // prettier-ignore

/** An answer that does not come before it is released. */
export function delayed<T>(answer: () => T): { answer: () => Promise<T>; release: () => void } {
  let release = (): void => undefined;
  const released = new Promise<void>((resolve) => (release = resolve));
  return { answer: () => released.then(answer), release };
}

const plain = (text: string | null | undefined): string => (text ?? "").replace(/\s+/g, " ").trim();

/** What an element is called by those who read it aloud. */
export function nameOf(element: HTMLElement): string {
  const label = element.getAttribute("aria-label");
  if (label) return plain(label);
  const by = element.getAttribute("aria-labelledby");
  if (by) return plain(document.getElementById(by)?.textContent);
  const own = (element as HTMLInputElement).labels?.[0] ?? element.closest("label");
  if (own) {
    const copy = own.cloneNode(true) as HTMLElement;
    copy.querySelectorAll("select, input, textarea").forEach((one) => one.remove());
    return plain(copy.textContent);
  }
  return plain(element.textContent) || plain(element.getAttribute("title"));
}

/** Until whatever was asked for has come and is shown. */
export async function settle(): Promise<void> {
  for (let round = 0; round < 8; round += 1) {
    await flushPromises();
    await new Promise((resolve) => setImmediate(resolve));
    // What is loaded when it is first shown has to be there.
    await vi.dynamicImportSettled();
  }
}
