import { QueryClient } from "@tanstack/vue-query";
import { ProblemError } from "../api/client";

/**
 * The pages' store of answers. What is out of date is asked for again, also where the very first answer is still on its
 * way: it may have been read before the change, and would otherwise be taken for the newest when it comes.
 */
class FreshClient extends QueryClient {
  override async invalidateQueries(
    ...given: Parameters<QueryClient["invalidateQueries"]>
  ): Promise<void> {
    const named = typeof given[0] === "function" ? given[0]() : given[0];
    await this.cancelQueries(
      {
        ...(named?.queryKey && { queryKey: named.queryKey }),
        fetchStatus: "fetching",
        predicate: (query) => query.state.data === undefined,
      },
      { silent: true },
    );
    await super.invalidateQueries(...given);
  }
}

export const queryClient = new FreshClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      refetchOnWindowFocus: false,
      retry: (times, error) => !(error instanceof ProblemError && error.status < 500) && times < 2,
    },
  },
});
