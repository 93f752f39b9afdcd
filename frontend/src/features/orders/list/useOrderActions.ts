import { useMutation, useQuery } from "@tanstack/vue-query";
import { ref, type Ref } from "vue";
import { words } from "../../../api/client";
import { count } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { markPrinted, openLabels } from "../../papers";
import { recipesQuery, type Recipe } from "../../shape";
import {
  holdOrders,
  setByHand,
  undoMany,
  useAfterOrders,
  type Hand,
  type PickedOrder,
} from "../queries";

/** Something to be set by hand for several orders: what it is called, and what it sets. */
export interface ForMany {
  name: string;
  set: Hand;
  ids: number[];
}

/**
 * What one key does to the orders that are meant: hold, print, use a recipe; what came of it is told in `notice`.
 * `seen` is the newest change that is on the screen: what a colleague has set since is not written over.
 */
export function useOrderActions(meant: Ref<PickedOrder[]>, seen: () => number | undefined) {
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

  /** What can be taken back as one: the orders that were changed together last. */
  const together = ref<number[]>([]);
  const setting = useMutation({
    mutationFn: (of: ForMany) => setByHand(of.ids, of.set, seen()),
    onSuccess: (_, of) => {
      asked.value = undefined;
      changed(of.name, of.ids);
    },
    onError: (error) => {
      asked.value = undefined;
      fails(error);
      after();
    },
  });
  function changed(name: string, ids: number[]): void {
    notice.value = `${name}: set for ${count(ids.length, "order")}.`;
    together.value = ids;
    after();
  }
  const undoing = useMutation({
    mutationFn: () => undoMany(together.value),
    onSuccess: (done) => {
      const left = Object.entries(done.left).map(([order, why]) => `${order}: ${why}`);
      notice.value = [`Undone for ${count(done.order_ids.length, "order")}.`, ...left].join(" ");
      together.value = [];
      after();
    },
    onError: fails,
  });
  /** A key that changes more than one order asks first. */
  const asked = ref<ForMany>();
  function useRecipe(recipe: Recipe | undefined): void {
    const ids = meant.value.filter((r) => r.state === "open").map((r) => r.id);
    if (!recipe || !ids.length || !may("shipper")) return;
    const set = {
      service: recipe.service,
      packaging: recipe.packaging,
      extras: recipe.extras,
    };
    const wanted = { name: recipe.name, set, ids };
    if (ids.length > 1) asked.value = wanted;
    else setting.mutate(wanted);
  }
  return {
    ...{ notice, recipes, hold, print, opened, marking },
    ...{ useRecipe, asked, setting, changed, together, undoing },
  };
}
