// @vitest-environment happy-dom
/** Tips: an element's title, told to a pointer that rests on it and to who comes to it by keyboard. */
import { mount } from "@vue/test-utils";
import { nextTick } from "vue";
import Tips from "@/ui/Tips.vue";

let button: HTMLButtonElement;
let tips: { unmount: () => void };

beforeEach(() => {
  vi.useFakeTimers();
  document.body.innerHTML = '<button title="Play (Space)">Play</button><p>Nothing</p>';
  button = document.querySelector("button")!;
  tips = mount(Tips, { attachTo: document.body });
});
afterEach(() => {
  tips.unmount();
  vi.useRealTimers();
});

const shown = (): string | null => {
  const tip = document.querySelector<HTMLElement>(".ant-tooltip:not(.ant-tooltip-hidden)");
  return tip && tip.style.display !== "none" ? tip.textContent : null;
};
const over = (element: Element, pointerType = "mouse"): boolean =>
  element.dispatchEvent(new PointerEvent("pointerover", { bubbles: true, pointerType }));
async function rest(time = 600): Promise<void> {
  await vi.advanceTimersByTimeAsync(time);
  await nextTick();
}

describe("a tip", () => {
  it("comes when the pointer has rested, once, and the title is there again when it has left", async () => {
    over(button);
    await rest(100);
    expect([shown(), button.title]).toEqual([null, ""]);
    await rest();
    expect(shown()).toBe("Play (Space)");
    over(document.querySelector("p")!);
    await rest();
    expect([shown(), button.title, button.dataset.title]).toEqual([null, "Play (Space)", undefined]);
  });

  it("keeps a title that was given anew meanwhile", async () => {
    over(button);
    await rest();
    button.title = "Stop (Space)";
    over(document.body);
    expect(button.title).toBe("Stop (Space)");
  });

  it("goes with a press or a key, and a finger has none", async () => {
    over(button);
    await rest();
    document.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape" }));
    await rest();
    expect(shown()).toBeNull();
    over(document.body);
    over(button, "touch");
    await rest();
    expect([shown(), button.title]).toEqual([null, "Play (Space)"]);
  });

  it("comes at once where the keyboard has brought the focus", async () => {
    button.matches = (selector: string) => selector === ":focus-visible";
    button.dispatchEvent(new FocusEvent("focusin", { bubbles: true }));
    await rest(50);
    expect(shown()).toBe("Play (Space)");
    button.dispatchEvent(new FocusEvent("focusout", { bubbles: true }));
    await rest();
    expect(shown()).toBeNull();
  });
});
