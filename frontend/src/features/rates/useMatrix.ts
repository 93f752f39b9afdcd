import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import type { Schemas } from "../../api/client";
import { useSelection } from "../../shared/selection";
import { chooseServices, matrixQuery } from "./queries";

export type MatrixRow = Schemas["MatrixRowOut"];

/** The selected orders by every service: what is chosen, what is staged and not kept yet, and what it comes to. */
export function useMatrix() {
  const selection = useSelection();
  const client = useQueryClient();
  const ids = computed(() => selection.rows.filter((r) => r.state === "open").map((r) => r.id));
  const { data: matrix, error, isPending } = useQuery(computed(() => matrixQuery(ids.value)));
  /** What is chosen here and not kept yet, by order; null is "let the plan decide". */
  const staged = ref(new Map<number, string>());
  const undo = ref<Record<number, string | null>>();

  // Services that take none of these orders stand back, at the end.
  const order = computed(() => {
    const m = matrix.value;
    if (!m) return [];
    const taken = m.services.map((_, i) =>
      m.rows.reduce((n, r) => n + (r.prices[i] === null ? 0 : 1), 0),
    );
    return m.services
      .map((_, i) => i)
      .sort((a, b) => Number(taken[b]! > 0) - Number(taken[a]! > 0) || a - b);
  });
  const columns = computed(() =>
    order.value.map((i) => ({ i, service: matrix.value!.services[i]! })),
  );
  const rows = computed(() => matrix.value?.rows ?? []);
  const index = computed(() => new Map(matrix.value?.services.map((s, i) => [s.code, i])));
  const chosen = (row: MatrixRow): string | null => staged.value.get(row.id) ?? row.chosen;
  const priceOf = (row: MatrixRow, code: string | null): number | null =>
    code === null ? null : (row.prices[index.value.get(code) ?? -1] ?? null);
  const lateBy = (row: MatrixRow, i: number): boolean =>
    Boolean(row.promise && row.arrives[i] && row.arrives[i]! > row.promise);
  const cheapest = (row: MatrixRow): number =>
    Math.min(...row.prices.filter((p): p is number => p !== null));

  function sums(pick: (row: MatrixRow) => string | null) {
    let total = 0,
      priced = 0,
      late = 0;
    for (const row of rows.value) {
      const code = pick(row),
        price = priceOf(row, code);
      if (price === null) continue;
      total += price;
      priced += 1;
      if (lateBy(row, index.value.get(code!)!)) late += 1;
    }
    return { total, priced, late };
  }
  const before = computed(() => sums((r) => r.chosen));
  const after = computed(() => sums(chosen));
  const policies = computed(() =>
    Object.keys(matrix.value?.formulas ?? {}).map((key) => ({
      key,
      ...sums((r) => r.picks[key] ?? r.chosen),
    })),
  );
  const perColumn = computed(
    () =>
      matrix.value?.services.map((_, i) => rows.value.filter((r) => r.prices[i] !== null).length) ??
      [],
  );

  function stage(row: MatrixRow, code: string): void {
    if (priceOf(row, code) === null) return;
    if (code === row.chosen) staged.value.delete(row.id);
    else staged.value.set(row.id, code);
  }
  function stageColumn(i: number): void {
    const code = matrix.value!.services[i]!.code;
    for (const row of rows.value) stage(row, code);
  }
  function stagePolicy(key: string): void {
    for (const row of rows.value) if (row.picks[key]) stage(row, row.picks[key]);
  }
  const apply = useMutation({
    mutationFn: async (choices: Record<number, string | null>) => await chooseServices({ choices }),
    onSuccess: (fresh) => {
      staged.value.clear();
      selection.refresh(fresh);
      void client.invalidateQueries({ queryKey: ["orders"] });
    },
  });
  function keep(): void {
    if (!staged.value.size) return;
    const mine = rows.value.filter((r) => staged.value.has(r.id));
    const back = Object.fromEntries(mine.map((r) => [r.id, r.by_hand]));
    apply.mutate(Object.fromEntries(staged.value), { onSuccess: () => (undo.value = back) });
  }
  function takeBack(): void {
    apply.mutate(undo.value!, { onSuccess: () => (undo.value = undefined) });
  }
  return {
    ids,
    matrix,
    error,
    isPending,
    columns,
    rows,
    staged,
    undo,
    before,
    after,
    policies,
    perColumn,
    apply,
    chosen,
    lateBy,
    cheapest,
    stage,
    stageColumn,
    stagePolicy,
    keep,
    takeBack,
  };
}

export type Matrix = ReturnType<typeof useMatrix>;
