import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { ref } from "vue";
import {
  askForPickups,
  bringIt,
  cancelPickup,
  closeManifest,
  reopenManifest,
  setStanding,
} from "./queries";
import { type Schemas } from "../../api/client";

type Lane = Schemas["LaneOut"];

/** Which departure a lane is, as routes name it. */
export const keyOf = (lane: Lane) => ({
  carrier: lane.carrier,
  network: lane.network,
  day: lane.day,
});

/** A van as it is asked for: what is not said is as it is suggested. */
export const wishOf = (
  lane: Lane,
  shown_minor: number,
  said: Partial<Schemas["PickupIn"]> = {},
) => ({
  ...keyOf(lane),
  shown_minor,
  spot: "",
  note: "",
  contact: "",
  phone: "",
  ...said,
});

/** Whether a van is still to be asked for: somebody comes for it, something goes, and nothing stands in the way. */
export function needsVan(lane: Lane): boolean {
  const f = lane.fetching;
  const standing =
    lane.pickup && ["asked", "booked", "cancelling", "done"].includes(lane.pickup.state);
  return (
    !!f &&
    !lane.brought &&
    !standing &&
    f.going > 0 &&
    !f.refused &&
    (lane.state === "open" || lane.state === "closed") &&
    (!f.manifest_first || !!lane.manifest)
  );
}

/** What is done to departures; whatever was done, they are fetched anew. */
export function useDepartures() {
  const client = useQueryClient();
  const dropped = ref<string[]>([]);
  const fresh = () =>
    Promise.all(
      [["departures"], ["pickups"], ["today"]].map((queryKey) =>
        client.invalidateQueries({ queryKey }),
      ),
    );
  const ask = useMutation({
    mutationFn: askForPickups,
    onSuccess: (done) => {
      dropped.value = done.dropped;
      return fresh();
    },
  });
  const cancel = useMutation({ mutationFn: cancelPickup, onSettled: fresh });
  const close = useMutation({ mutationFn: closeManifest, onSettled: fresh });
  const reopen = useMutation({ mutationFn: reopenManifest, onSettled: fresh });
  const bring = useMutation({ mutationFn: bringIt, onSettled: fresh });
  const stand = useMutation({ mutationFn: setStanding, onSettled: fresh });
  return { ask, cancel, close, reopen, bring, stand, dropped, fresh };
}
