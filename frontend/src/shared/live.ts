import type { QueryClient } from "@tanstack/vue-query";

/** Keep the pages true: what changes on the server is fetched again here. */
export function watchLive(client: QueryClient): () => void {
  const source = new EventSource("/api/live");
  let timer: number | undefined;
  const topics = new Set<string>();
  source.onmessage = (event: MessageEvent<string>) => {
    topics.add(event.data);
    timer ??= window.setTimeout(() => {
      timer = undefined;
      for (const topic of topics) {
        const [kind, id] = topic.split(":");
        if (kind === "batch") void client.invalidateQueries({ queryKey: ["batch", Number(id)] });
      }
      topics.clear();
      for (const key of ["orders", "order", "today", "money", "layers", "work", "batches", "batch", "returns", "requests", "prints", "refunds", "preflight"]) void client.invalidateQueries({ queryKey: [key] });
    }, 250);
  };
  source.onopen = () => void client.invalidateQueries({ queryKey: ["today"] });
  return () => source.close();
}
