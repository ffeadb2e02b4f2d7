// @vitest-environment happy-dom
/** Fields and slides under a hand: what they set is held while it moves, and set once when it lets go. */
import { mount, type VueWrapper } from "@vue/test-utils";
import { HOLDING } from "@/ui/holding";
import NumberField from "@/ui/NumberField.vue";
import Slide from "@/ui/Slide.vue";
import { words } from "@/words";
import { defineComponent, h, nextTick, ref } from "vue";

let wrapper: VueWrapper;
let holding: boolean;
let held: number[];
let kept: number[];
let dropped: number;
const value = ref(10);

function open(what: "field" | "slide", live = true): void {
  [holding, held, kept, dropped, value.value] = [false, [], [], 0, 10];
  const props = {
    title: "Depth",
    label: "Depth",
    low: 0,
    high: 50,
    step: 1,
    live,
    onSet: (to: number) => void (holding ? held : kept).push(to),
  };
  const all = () => ({ ...props, value: value.value });
  const host = defineComponent(() => () => (what === "field" ? h(NumberField, all()) : h(Slide, all())));
  const hold = (make: () => void): void => {
    holding = true;
    make();
    holding = false;
  };
  wrapper = mount(host, {
    attachTo: document.body,
    global: {
      plugins: [words],
      provide: { [HOLDING as symbol]: { hold, drop: () => (dropped += 1) } },
    },
  });
  Element.prototype.setPointerCapture = () => undefined;
}

const point = (name: string, x: number, y = 0, more: object = {}) =>
  wrapper
    .find("input.value")
    .element.dispatchEvent(
      new PointerEvent(name, { bubbles: true, clientX: x, clientY: y, pointerId: 1, ...more }),
    );

afterEach(() => wrapper.unmount());

describe("a field", () => {
  it("is dragged to the right or up for more, and by big steps with Shift", () => {
    open("field");
    point("pointerdown", 100, 100);
    point("pointermove", 108, 100);
    point("pointermove", 100, 60);
    point("pointermove", 96, 100, { shiftKey: true });
    expect([held, kept]).toEqual([[12, 20, 0], []]);
    point("pointermove", 900, 100);
    point("pointerup", 900, 100);
    expect([held, kept, dropped]).toEqual([[12, 20, 0, 50], [50], 0]);
  });

  it("that comes back to where it stood changes nothing", () => {
    open("field");
    point("pointerdown", 100);
    point("pointermove", 120);
    point("pointermove", 101);
    point("pointerup", 101);
    expect([held, kept, dropped]).toEqual([[15, 10], [], 1]);
  });

  it("is called off by Escape", () => {
    open("field");
    point("pointerdown", 100);
    point("pointermove", 120);
    window.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape" }));
    point("pointerup", 120);
    expect([held, kept, dropped]).toEqual([[15], [], 1]);
  });

  it("is typed into after a press that does not move", () => {
    open("field");
    point("pointerdown", 100);
    point("pointermove", 101);
    point("pointerup", 101);
    expect([held, document.activeElement]).toEqual([[], wrapper.find("input.value").element]);
    // From then on the pointer marks what is typed.
    point("pointerdown", 100);
    point("pointermove", 140);
    expect(held).toEqual([]);
  });

  it("holds nothing where nobody listens: it is set when the hand lets go", () => {
    open("field", false);
    point("pointerdown", 100);
    point("pointermove", 120);
    expect([held, kept]).toEqual([[], []]);
    point("pointerup", 120);
    expect([kept, dropped]).toEqual([[15], 0]);
  });
});

describe("a slide", () => {
  const rule = () => wrapper.find("input[type=range]");

  it("holds what it sets until the hand lets go, however often that is told", async () => {
    open("slide");
    (rule().element as HTMLInputElement).value = "500";
    await rule().trigger("input");
    expect([held, kept]).toEqual([[25], []]);
    // What is live follows the hand.
    value.value = 25;
    await nextTick();
    await rule().trigger("pointerup");
    await rule().trigger("change");
    expect([kept, dropped]).toEqual([[25], 0]);
  });

  it("that is taken away from the hand lets go of what it held", async () => {
    open("slide");
    (rule().element as HTMLInputElement).value = "500";
    await rule().trigger("input");
    await rule().trigger("pointercancel");
    expect([kept, dropped]).toEqual([[], 1]);
  });
});
