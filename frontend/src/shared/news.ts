import type { QueryClient } from "@tanstack/vue-query";

/** A topic of the server's news is a query key with colons: "order:12" is ["order", 12], "orders" is ["orders"]. */
export function keyOf(topic: string): (string | number)[] {
  return topic.split(":").map((part) => (/^\d+$/.test(part) ? Number(part) : part));
}

const SINGLE_MS = 250;
/** What concerns many is fetched so often at most: while a batch of thousands is bought, news come without end. */
const WHOLE_MS = 2_000;
const POLL_MS = 15_000;
const EVERYTHING = "everything";

/** Fetch again what news name: single things soon, lists at most every two seconds, one round after the other. */
function makeRounds(client: QueryClient) {
  const waiting = new Set<string>();
  let timer: number | undefined;
  let lastWhole = 0;

  async function round(): Promise<void> {
    timer = undefined;
    const whole = Date.now() - lastWhole >= WHOLE_MS;
    const now = [...waiting].filter((topic) => whole || topic.includes(":"));
    now.forEach((topic) => waiting.delete(topic));
    if (whole) lastWhole = Date.now();
    const keys = now.includes(EVERYTHING) ? [[]] : now.map(keyOf);
    await Promise.all(keys.map((queryKey) => client.invalidateQueries({ queryKey }))).catch(
      () => undefined,
    );
    if (waiting.size)
      timer ??= window.setTimeout(() => void round(), WHOLE_MS - (Date.now() - lastWhole) + 50);
  }
  return {
    hear(topic: string): void {
      waiting.add(topic);
      timer ??= window.setTimeout(() => void round(), SINGLE_MS);
    },
    stop(): void {
      window.clearTimeout(timer);
      waiting.clear();
    },
  };
}

/**
 * Keep the pages true. One tab of the browser holds the stream and passes what it hears to the others, so that ten tabs
 * cost one connection; where there is no stream, everything shown is asked for again every quarter of a minute.
 */
export function watchNews(client: QueryClient): () => void {
  const rounds = makeRounds(client);
  const others = new BroadcastChannel("tidewind-news");
  others.onmessage = (event: MessageEvent<string>) => rounds.hear(event.data);
  let source: EventSource | undefined;
  let poll: number | undefined;
  let release: (() => void) | undefined;
  const stopped = new AbortController();

  function hear(topic: string): void {
    others.postMessage(topic);
    rounds.hear(topic);
  }
  function open(): void {
    source = new EventSource("/api/news");
    source.onmessage = (event: MessageEvent<string>) => hear(event.data);
    source.onopen = () => window.clearInterval(poll);
    source.onerror = () => {
      window.clearInterval(poll);
      poll = window.setInterval(() => hear(EVERYTHING), POLL_MS);
    };
  }
  const lead = () =>
    new Promise<void>((done) => {
      release = done;
      open();
    });
  if ("locks" in navigator)
    void navigator.locks
      .request("tidewind-news", { signal: stopped.signal }, lead)
      .catch(() => undefined);
  else open();

  return () => {
    stopped.abort();
    source?.close();
    window.clearInterval(poll);
    rounds.stop();
    others.close();
    release?.();
  };
}
