import { onBeforeUnmount, onMounted } from "vue";
import { fastKeys } from "./scanner";

export type Keys = Record<string, (event: KeyboardEvent) => void>;

function typing(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target instanceof HTMLInputElement && ["checkbox", "radio", "button"].includes(target.type))
    return false;
  return target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName);
}

/** True while a dialog is open: the keys of the page beneath rest. */
function dialogOpen(): boolean {
  return (
    document.querySelector(".v-overlay--active [role=dialog], .v-dialog.v-overlay--active") !== null
  );
}

/** A key with what is held down, as pages name it: "a", "Ctrl+a", "Shift+ArrowDown". */
function named(event: KeyboardEvent): string {
  if (event.ctrlKey || event.metaKey) return `Ctrl+${event.key.toLowerCase()}`;
  return event.shiftKey && event.key.length > 1 ? `Shift+${event.key}` : event.key;
}

/** Bind the keys of a page while it is shown; never while somebody types or a dialog is open. */
export function useKeys(keys: Keys): void {
  function handle(event: KeyboardEvent): void {
    if (event.defaultPrevented || event.altKey) return;
    if (typing(event.target) || dialogOpen()) return;
    const onControl =
      event.target instanceof HTMLElement &&
      ["BUTTON", "A", "INPUT"].includes(event.target.tagName);
    if (onControl && (event.key === "Enter" || event.key === " ")) return;
    const action = keys[named(event)];
    const before = fastKeys();
    // Two keys can be rolled that fast by a hand; from the third on it is a scanner, whose code is no command.
    if (!action || before > 2) return;
    event.preventDefault();
    // A digit may be the first of a code, and a second fast key part of one: wait for what follows.
    if (before === 2 || /^\d$/.test(named(event)))
      window.setTimeout(() => {
        if (fastKeys() <= before) action(event);
      }, 60);
    else action(event);
  }
  onMounted(() => window.addEventListener("keydown", handle));
  onBeforeUnmount(() => window.removeEventListener("keydown", handle));
}
