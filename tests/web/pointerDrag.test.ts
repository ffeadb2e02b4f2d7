// @vitest-environment happy-dom
/** One drag for every hand: it begins with one press, goes with one pointer, and ends once or not at all. */
import { mount } from "@vue/test-utils";
import { defineComponent, h } from "vue";
import { usePointerDrag } from "@/ui/pointerDrag";

function stage(options: { sideways?: boolean; begins?: boolean } = {}) {
  const done: string[] = [];
  const page = mount(
    defineComponent(() => {
      const drag = usePointerDrag<string>({
        sideways: options.sideways,
        start: (_, name) => {
          done.push(`start ${name}`);
          return options.begins ?? true;
        },
        move: (event, name) => done.push(`move ${name} ${event.clientX}`),
        end: (_, name) => done.push(`end ${name}`),
        cancel: (name) => done.push(`cancel ${name}`),
      });
      return () =>
        h("i", {
          onPointerdown: (event: PointerEvent) => drag.down(event, "pan"),
          onPointermove: drag.follow.pointermove,
          onPointerup: drag.follow.pointerup,
          onPointercancel: drag.follow.pointercancel,
        });
    }),
    { attachTo: document.body },
  );
  const element = page.element as HTMLElement;
  element.setPointerCapture = () => done.push("captured");
  const send = (type: string, values: PointerEventInit = {}): boolean =>
    element.dispatchEvent(new PointerEvent(type, { pointerId: 1, button: 0, bubbles: true, ...values }));
  return { page, done, send };
}

describe("a drag", () => {
  it("goes from press to release, with the pointer that began it", () => {
    const { done, send } = stage();
    send("pointermove", { clientX: 1 });
    send("pointerdown");
    send("pointerdown", { pointerId: 2 });
    send("pointermove", { clientX: 5 });
    send("pointermove", { clientX: 9, pointerId: 2 });
    send("pointerup", { pointerId: 2 });
    send("pointerup");
    send("pointerup");
    expect(done).toEqual(["start pan", "captured", "move pan 5", "end pan"]);
  });

  it("does not begin with another button, nor where it may not", () => {
    const { done, send } = stage({ begins: false });
    send("pointerdown", { button: 2 });
    send("pointerdown");
    send("pointermove");
    send("pointerup");
    expect(done).toEqual(["start pan"]);
  });

  it("is called off by Escape, by the browser, and with what is dragged; nobody else hears that Escape", () => {
    const { page, done, send } = stage();
    const pageKeys: string[] = [];
    document.addEventListener("keydown", () => pageKeys.push("page"), { once: true });
    send("pointerdown");
    window.dispatchEvent(new KeyboardEvent("keydown", { key: "a" }));
    const escape = new KeyboardEvent("keydown", { key: "Escape", bubbles: true, cancelable: true });
    (page.element as HTMLElement).dispatchEvent(escape);
    send("pointerup");
    expect([pageKeys, escape.defaultPrevented]).toEqual([[], true]);
    send("pointerdown");
    send("pointercancel");
    send("pointerdown");
    page.unmount();
    const called = ["start pan", "captured", "cancel pan"];
    expect(done).toEqual([...called, ...called, ...called]);
  });

  it("with a finger that may be about to scroll moves nothing before it has gone aside", () => {
    const { done, send } = stage({ sideways: true });
    const finger = { pointerType: "touch" };
    send("pointerdown", { ...finger, clientX: 100 });
    send("pointermove", { ...finger, clientX: 104 });
    send("pointermove", { ...finger, clientX: 112 });
    send("pointermove", { ...finger, clientX: 101 });
    send("pointercancel", finger);
    expect(done).toEqual(["start pan", "captured", "move pan 112", "move pan 101", "cancel pan"]);
  });
});
