/**
 * Where the styles go that Ant Design Vue's parts and icons bring as they are first shown: into the page's own sheet.
 *
 * The packages would write style elements, which the content policy allows from nobody. The build puts this in the place
 * of their `dynamicCSS`; the rules come before our own, as their elements would.
 */
interface Rules {
  /** What the package marks as its own; never in the page. */
  readonly element: HTMLStyleElement;
  css: string;
  rule: CSSRule;
}

const rulesByKey = new Map<string, Rules>();

const sheet = (): CSSStyleSheet => {
  const first = document.styleSheets[0];
  if (!first) throw new Error("The page has come without its style sheet.");
  return first;
};

/** All of a text as one rule, so that it can be taken out again. */
function insert(css: string, at: number): CSSRule {
  const into = sheet();
  const rule = into.cssRules[into.insertRule(`@media all {${css}}`, at)];
  if (!rule) throw new Error("The page's style sheet took no rule.");
  return rule;
}

function take(rule: CSSRule): number {
  const from = sheet();
  const at = [...from.cssRules].indexOf(rule);
  from.deleteRule(at);
  return at;
}

/** The other thing that the packages ask of it. */
export const canUseDom = (): boolean => true;

interface Options {
  /** Before all others; else, as with "queue", after those that are there. */
  prepend?: boolean | "queue";
}

/** Write styles under a key, in the place of those it had. */
export function updateCSS(css: string, key: string, { prepend }: Options = {}): HTMLStyleElement {
  const entry = rulesByKey.get(key);
  if (!entry) {
    const element = document.createElement("style");
    rulesByKey.set(key, { element, css, rule: insert(css, prepend === true ? 0 : rulesByKey.size) });
    return element;
  }
  if (entry.css !== css) Object.assign(entry, { css, rule: insert(css, take(entry.rule)) });
  return entry.element;
}

/** Take out the styles of a key, if it has any. */
export function removeCSS(key: string): void {
  const entry = rulesByKey.get(key);
  if (!entry) return;
  take(entry.rule);
  rulesByKey.delete(key);
}
