import type { QueryClient } from "@tanstack/vue-query";

/** What is fetched again for any news, and so often at most: while a batch of thousands is bought, news come without end. */
const EVERYWHERE = ["orders", "order", "today", "money", "layers", "work", "batches", "returns", "requests", "prints", "refunds", "preflight"];
const AT_ONCE_MS = 250, EVERYWHERE_MS = 2_000;

/** Keep the pages true: what changes on the server is fetched again here. */
export function watchLive(client: QueryClient): () => void {
  const source = new EventSource("/api/live");
  const topics = new Set<string>();
  let timer: number | undefined;
  let later: number | undefined;
  let last = 0;
  let stopped = false;

  /** One round after the other: news that come meanwhile wait, so that no answer on its way is thrown away for them. */
  async function round(): Promise<void> {
    const batches = [...topics].filter((topic) => topic.startsWith("batch:")).map((topic) => Number(topic.split(":")[1]));
    const only = batches.length > 0 && batches.length === topics.size;
    topics.clear();
    const keys: unknown[][] = batches.map((id) => ["batch", id]);
    const everywhere = !only || Date.now() - last > EVERYWHERE_MS;
    if (everywhere) {
      last = Date.now();
      keys.push(...EVERYWHERE.map((key) => [key]));
      if (!only) keys.push(["batch"]);
    }
    await Promise.all(keys.map((queryKey) => client.invalidateQueries({ queryKey }))).catch(() => undefined);
    timer = undefined;
    if (stopped) return;
    if (topics.size) soon(AT_ONCE_MS);
    if (!everywhere) later ??= window.setTimeout(() => { later = undefined; soon(0, "the rest"); }, EVERYWHERE_MS);
  }
  function soon(after: number, topic?: string): void {
    if (topic) topics.add(topic);
    timer ??= window.setTimeout(() => void round(), after);
  }
  source.onmessage = (event: MessageEvent<string>) => soon(AT_ONCE_MS, event.data);
  source.onopen = () => void client.invalidateQueries({ queryKey: ["today"] });
  return () => {
    stopped = true;
    window.clearTimeout(timer);
    window.clearTimeout(later);
    source.close();
  };
}
