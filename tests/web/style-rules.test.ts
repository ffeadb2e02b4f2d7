// @vitest-environment happy-dom
/** The package's styles in the page's own sheet: in the order in which they came, before ours, and out again. */
import { removeCSS, updateCSS } from "@/ui/styleRules";

const rules = (): string[] =>
  [...document.styleSheets[0]!.cssRules].map((rule) => rule.cssText.replace(/\s+/g, " "));

beforeEach(() => {
  const own = document.createElement("style");
  own.textContent = ".ours { color: red; }";
  document.head.append(own);
});

it("writes, exchanges and takes out", () => {
  const button = updateCSS(".button { margin: 1px; } .button:hover { margin: 2px; }", "button");
  updateCSS(".field { margin: 3px; }", "field");
  expect(rules().map((rule) => /\.(\w+)/.exec(rule)?.[1])).toEqual(["button", "field", "ours"]);
  expect(rules()[0]).toContain(".button:hover");
  // The package writes on the element what it wants to find again.
  button.setAttribute("data-token", "one");
  expect(updateCSS(".button { margin: 4px; }", "button")).toBe(button);
  expect(rules()[0]).toContain("4px");
  expect(rules()).toHaveLength(3);
  removeCSS("button");
  removeCSS("nothing");
  expect(rules().map((rule) => /\.(\w+)/.exec(rule)?.[1])).toEqual(["field", "ours"]);
  updateCSS(".button { margin: 5px; }", "button");
  expect(rules().map((rule) => /\.(\w+)/.exec(rule)?.[1])).toEqual(["field", "button", "ours"]);
  updateCSS(".icon { margin: 0; }", "icon", { prepend: true });
  expect(rules()[0]).toContain(".icon");
  expect(document.querySelectorAll("style")).toHaveLength(1);
});
