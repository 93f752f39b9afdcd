import type { Directive } from "vue";

/** `v-first`: the field where typing begins, when what it stands in appears; a false value leaves it.
 * `v-first.button` is for what has no field: Enter does what was read.
 * The library's own `autofocus` waits 50 ms and then takes the cursor out of whatever field a quick person
 * has reached meanwhile, so that the second word lands in the first field. This one acts before the picture. */
export const vFirst: Directive<HTMLElement, boolean | undefined, "button"> = {
  mounted(element, { value, modifiers }) {
    if (value === false) return;
    const fields = modifiers.button ? "button" : "input, textarea";
    const field = element.matches(fields) ? element : element.querySelector<HTMLElement>(fields);
    field?.focus();
  },
  /** A button that waits until there is something to read takes the cursor when it may be pressed, if by then nobody
   * has it anywhere else: then what holds it is the page, or what the button stands in. */
  updated(element, { value, modifiers }) {
    if (value !== false && modifiers.button && document.activeElement?.contains(element))
      element.focus();
  },
};

declare module "vue" {
  interface GlobalDirectives {
    vFirst: typeof vFirst;
  }
}
