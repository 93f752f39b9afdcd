import { onBeforeUnmount, onMounted } from "vue";

/** A scanner is a fast keyboard that ends with Enter: no hand types two keys within this time. */
const FASTEST_HAND_MS = 40;
const SHORTEST_CODE = 4;
type Takes = (code: string) => boolean;
const takers: Takes[] = [];
let typed = "";
let last = 0;

function inField(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName)) &&
    !(target instanceof HTMLInputElement && target.type === "checkbox")
  );
}

/** How many keys came faster than hands type, one after the other, up to now. */
export function fastKeys(): number {
  return typed.length;
}

/** Where a page has the whole keyboard for its scanner, nothing is made of keys here. */
let resting = 0;
export function restScanner(): () => void {
  resting += 1;
  return () => (resting -= 1);
}

function listen(event: KeyboardEvent): void {
  if (resting || inField(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
  const fast = event.timeStamp - last < FASTEST_HAND_MS;
  if (event.key === "Enter" && fast && typed.length >= SHORTEST_CODE) {
    const code = typed;
    typed = "";
    event.preventDefault();
    event.stopImmediatePropagation();
    for (const take of [...takers].reverse()) if (take(code)) return;
    return;
  }
  if (event.key.length !== 1) return;
  typed = fast ? typed + event.key : event.key;
  last = event.timeStamp;
}
window.addEventListener("keydown", listen, true);

/** Hear what is scanned while a page is shown; the newest page that can use a code takes it. */
export function useScans(take: Takes): void {
  onMounted(() => takers.push(take));
  onBeforeUnmount(() => takers.splice(takers.indexOf(take), 1));
}
