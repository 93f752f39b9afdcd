<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { far, openUntil } from "./points";
import { waysQuery, type Way } from "./queries";
import { useDepartures } from "./useDepartures";
import { type Schemas } from "../../api/client";
import { clock, count, day, money } from "../../shared/format";
import { useMe } from "../../shared/session";
import { ErrorNote } from "../../shared/ui";

/** How labels will leave, chosen where they are bought: by the van, with its fee, or taken to a drop-off point. */
const props = defineProps<{ departures: Schemas["DepartureIn"][] }>();
const { zone, may } = useMe();
const { bring } = useDepartures();
const { data: ways } = useQuery(computed(() => waysQuery(props.departures)));
const key = (w: Way) => ({ carrier: w.carrier, network: w.network, day: w.day });
const VAN: Record<string, string> = { asked: "asked for", booked: "booked", done: "has come" };
function van(w: Way): string {
  const f = w.fetching!;
  const fee = f.fee_minor ? money(f.fee_minor, w.currency) : "free of charge";
  const standing = w.pickup ? VAN[w.pickup] : "";
  if (standing) return `Fetched, ${standing}`;
  if (f.refused) return `Not fetched: ${f.refused}`;
  const until = f.until ? `, to be asked for until ${clock(f.until, zone.value)}` : "";
  return `Fetched between ${f.suggested.start} and ${f.suggested.until}, ${fee}${until}`;
}
const chosen = (w: Way) => w.points.find((p) => p.chosen);
/** A van that is asked for has to be cancelled first; what is closed or gone is decided. */
const fixed = (w: Way) =>
  !may("shipper") || w.state !== "open" || (!!w.pickup && w.pickup in VAN && w.pickup !== "done");
</script>

<template>
  <div v-if="ways?.length" class="ways">
    <ErrorNote :error="bring.error.value" />
    <fieldset v-for="w in ways" :key="w.carrier + w.network + w.day" :disabled="fixed(w)">
      <legend>
        <span class="mono-gram">{{ w.monogram }}</span> {{ w.name }}, {{ day(w.day) }}
      </legend>
      <label v-if="w.fetching"
        ><input
          type="radio"
          :checked="!w.brought"
          :name="`${w.carrier} ${w.network} ${w.day}`"
          @change="bring.mutate({ ...key(w), brought: false, point: '' })"
        />
        {{ van(w) }}</label
      >
      <label
        ><input
          type="radio"
          :checked="(w.brought || !w.fetching) && !chosen(w)"
          :name="`${w.carrier} ${w.network} ${w.day}`"
          @change="bring.mutate({ ...key(w), brought: true, point: '' })"
        />
        {{ w.points.length ? "Taken there by us, anywhere" : "Taken there by us" }}, until
        {{ clock(w.cutoff_at, zone) }}</label
      >
      <label v-for="p in w.points" :key="p.code" :class="{ mute: p.refused }"
        ><input
          type="radio"
          :checked="p.chosen"
          :disabled="!!p.refused"
          :name="`${w.carrier} ${w.network} ${w.day}`"
          @change="bring.mutate({ ...key(w), brought: true, point: p.code })"
        />
        Taken to <b>{{ p.name }}</b>{{ far(p) }}, {{ p.refused || openUntil(p)
        }}<span v-if="p.stays.length" class="press">
          (does not take {{ count(p.stays.length, "parcel") }}: {{ p.stays[0]!.words }})</span
        ></label
      >
    </fieldset>
  </div>
</template>

<style scoped>
.ways fieldset {
  margin: 10px 0 0;
  padding: 0;
  border: 0;
}
.ways legend {
  padding: 0;
  font-weight: 600;
}
.ways label {
  display: block;
  min-height: 24px;
  padding: 1px 0 1px 22px;
  text-indent: -22px;
}
.ways input {
  width: 14px;
  height: 14px;
  margin: 0 4px 0 0;
  vertical-align: -2px;
  accent-color: var(--mul);
}
</style>
