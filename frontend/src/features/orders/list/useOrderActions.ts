import { useMutation, useQuery } from "@tanstack/vue-query";
import { ref, type Ref } from "vue";
import { words } from "../../../api/client";
import { count } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { markPrinted, openLabels } from "../../papers";
import { recipesQuery, type Recipe } from "../../shape";
import { holdOrders, setByHand, useAfterOrders, type PickedOrder } from "../queries";

/** What one key does to the orders that are meant: hold, print, use a recipe; what came of it is told in `notice`. */
export function useOrderActions(meant: Ref<PickedOrder[]>) {
  const { may } = useMe();
  const after = useAfterOrders();
  const notice = ref("");
  const { data: recipes } = useQuery(recipesQuery);
  const fails = (e: unknown) => (notice.value = words(e));

  const holding = useMutation({
    mutationFn: (them: PickedOrder[]) =>
      holdOrders(
        them.map((r) => r.id),
        them.some((r) => r.state === "open"),
      ),
    onSuccess: after,
    onError: fails,
  });
  function hold(): void {
    if (meant.value.length && may("shipper", "care")) holding.mutate(meant.value);
  }

  /** Orders whose labels were opened and nobody has said yet whether paper came out. */
  const opened = ref<number[]>([]);
  const printing = useMutation({
    mutationFn: openLabels,
    onSuccess: (_, orders) => {
      opened.value = orders;
      notice.value = `Labels of ${count(orders.length, "order")} opened.`;
    },
    onError: fails,
  });
  function print(): void {
    const orders = meant.value.filter((r) => r.state === "shipped").map((r) => r.id);
    if (orders.length) printing.mutate(orders);
    else notice.value = "Nothing here has a label to print yet.";
  }
  const marking = useMutation({
    mutationFn: () => markPrinted({ orders: opened.value }),
    onSuccess: (orders) => {
      opened.value = [];
      notice.value = `Labels of ${count(orders, "order")} marked as printed.`;
      after();
    },
    onError: fails,
  });

  const cooking = useMutation({
    mutationFn: (of: { recipe: Recipe; rows: PickedOrder[] }) =>
      setByHand(
        of.rows.map((r) => r.id),
        { service: of.recipe.service, packaging: of.recipe.packaging, extras: of.recipe.extras },
      ),
    onSuccess: (_, of) => {
      notice.value = `${of.recipe.name}: set for ${count(of.rows.length, "order")}.`;
      after();
    },
    onError: fails,
  });
  function useRecipe(recipe: Recipe | undefined): void {
    const rows = meant.value.filter((r) => r.state === "open");
    if (recipe && rows.length && may("shipper")) cooking.mutate({ recipe, rows });
  }
  return { notice, recipes, hold, print, opened, marking, useRecipe };
}
