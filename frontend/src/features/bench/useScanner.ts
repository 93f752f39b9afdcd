import { onBeforeUnmount, onMounted, ref } from "vue";
import { restScanner } from "../../shared/scanner";

/** Keys that lie further apart than this belong to two codes: a scanner that broke off must not spoil the next one. */
const FORGET_AFTER_MS = 3_000;
const MOST = 200;

/**
 * The whole keyboard belongs to the scanner: whatever has the focus, printable keys make up a code and Enter ends it.
 * Keys that write nothing (Shift, dead keys, those of an input method) are passed over.
 */
export function useScanner(take: (code: string) => void) {
  const typed = ref("");
  let last = 0;
  function listen(event: KeyboardEvent): void {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "Tab" || event.key === "Escape") return;
    if (event.timeStamp - last > FORGET_AFTER_MS) typed.value = "";
    if (event.key === "Enter") {
      const code = typed.value.trim();
      // Enter alone presses what has the focus; after a code it belongs to the scanner.
      if (!code) return;
      typed.value = "";
      event.preventDefault();
      event.stopImmediatePropagation();
      take(code);
      return;
    }
    if (event.key === "Backspace") typed.value = typed.value.slice(0, -1);
    if (event.key.length !== 1) return;
    if (event.key === " " && !typed.value) return;
    last = event.timeStamp;
    typed.value = (typed.value + event.key).slice(-MOST);
    event.preventDefault();
    event.stopImmediatePropagation();
  }
  let wake: (() => void) | undefined;
  onMounted(() => {
    wake = restScanner();
    window.addEventListener("keydown", listen, true);
  });
  onBeforeUnmount(() => {
    wake?.();
    window.removeEventListener("keydown", listen, true);
  });
  return { typed };
}
