import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, type Ref } from "vue";
import {
  changeHand,
  orderQuery,
  undoLast,
  useAfterOrders,
  type Hand,
  type Sheet,
} from "../queries";

/** What a person may decide about an order, in the words of the sheet. */
const HAND_WORDS: Record<keyof Sheet["hand"], string> = {
  packaging: "box",
  service: "service",
  extras: "extras",
  ship_date: "ship date",
  parcels: "parcels",
  split: "division",
  desk: "desk",
  approved: "approval",
  released: "taken back onto the list",
  point: "locker or shop",
  bill_to: "who is billed",
  account: "account",
  not_stackable: "nothing may lie on it",
  worth: "the value of the goods",
  customs: "declaration",
};
/** What "let the plan decide" takes back: an approval, a locker and a payer are not the plan's to give. */
const PLAN_DECIDES: Hand = {
  packaging: null,
  service: null,
  extras: null,
  ship_date: null,
  parcels: null,
  split: null,
  desk: null,
  account: null,
};

/** Decide something about an order by hand, see what was decided, and take it back. */
export function useHandEdit(id: Ref<number>, sheet: Ref<Sheet | undefined>) {
  const client = useQueryClient();
  const after = useAfterOrders();
  const hand = useMutation({
    mutationFn: (change: Hand) =>
      changeHand(id.value, { ...change, seen: sheet.value?.newest_change ?? null }),
    onError: after, // somebody else was quicker: what stands now is shown
    onSuccess: (fresh) => {
      client.setQueryData(orderQuery(id.value).queryKey, fresh);
      after();
    },
  });
  const undo = useMutation({
    mutationFn: () => undoLast(id.value, Boolean(sheet.value?.undo_by)),
    onSuccess: after,
  });

  const setByHand = computed(() => {
    const kept = sheet.value?.hand;
    if (!kept) return [];
    return (Object.keys(HAND_WORDS) as (keyof Sheet["hand"])[])
      .filter((key) => key !== "worth" && isSet(key, kept[key])) // that one stands beside the items
      .map((key) => HAND_WORDS[key]);
  });
  function toggleExtra(code: string): void {
    const on = sheet.value?.row.extras ?? [];
    const next = on.includes(code) ? on.filter((extra) => extra !== code) : [...on, code];
    hand.mutate({ extras: next });
  }
  return { hand, undo, setByHand, toggleExtra, letPlanDecide: () => hand.mutate(PLAN_DECIDES) };
}

/** An empty list of extras is a decision, none at all; an empty list of anything else is nothing. */
function isSet(key: string, value: unknown): boolean {
  if (Array.isArray(value)) return value.length > 0 || key === "extras";
  return value !== null && value !== undefined && value !== "" && value !== false;
}
