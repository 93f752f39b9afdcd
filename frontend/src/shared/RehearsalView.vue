<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "../api/client";
import { count, day, money } from "./format";
import { useMe } from "./session";

/** What a change would do to orders: how many, money and arrival before and after, and which ones, to be opened. */
const props = defineProps<{ found: Schemas["RehearsalOut"]; past: boolean; idle?: string }>();
const { currency } = useMe();
const delta = computed(() => props.found.after_minor - props.found.before_minor);
const apart = computed(() =>
  (
    [
      ["Would stop, and have no price", props.found.stops_anew],
      ["Would go at last", props.found.goes_anew],
    ] as const
  ).filter(([, numbers]) => numbers.length),
);
const which = computed(() => (props.past ? "of the last 90 days" : "waiting"));
</script>

<template>
  <div>
    <p v-if="idle" class="mute" role="status">{{ idle }}</p>
    <template v-else>
      <p role="status">
        <b>{{ count(found.changed, "order") }}</b> of {{ found.waiting.toLocaleString("en-GB") }}
        {{ which }} {{ past ? "would have changed" : "will change" }},
        {{
          delta === 0
            ? "at the same price"
            : delta > 0
              ? `${money(delta, currency)} dearer`
              : `${money(-delta, currency)} cheaper`
        }}. What was set by hand stays.<template v-if="found.looked_at < found.waiting">
          Tried over the newest {{ found.looked_at.toLocaleString("en-GB") }}.</template
        >
      </p>
      <table class="plain-table sums">
        <thead>
          <tr>
            <th></th>
            <th class="right">Before</th>
            <th class="right">After</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td>Price of all that have one before and after</td>
            <td class="right">{{ money(found.before_minor, currency) }}</td>
            <td class="right">
              <b>{{ money(found.after_minor, currency) }}</b>
            </td>
          </tr>
          <tr>
            <td>Arrive after their promise</td>
            <td class="right">{{ found.late_before.toLocaleString("en-GB") }}</td>
            <td class="right">
              <b :class="{ stop: found.late_after > found.late_before }">{{
                found.late_after.toLocaleString("en-GB")
              }}</b>
            </td>
          </tr>
          <tr v-for="[words, numbers] in apart" :key="words">
            <td>{{ words }}</td>
            <td colspan="2">
              <b>{{ numbers.length.toLocaleString("en-GB") }}</b>
              <span class="mono small">
                {{ numbers.slice(0, 6).join(", ") }}{{ numbers.length > 6 ? " …" : "" }}
              </span>
            </td>
          </tr>
          <tr>
            <td>Stopped by a snag</td>
            <td class="right">{{ found.stopped_before.toLocaleString("en-GB") }}</td>
            <td class="right">
              <b :class="{ stop: found.stopped_after > found.stopped_before }">{{
                found.stopped_after.toLocaleString("en-GB")
              }}</b>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
    <table v-if="found.changes.length" class="plain-table">
      <thead>
        <tr>
          <th>Order</th>
          <th>Before</th>
          <th>After</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in found.changes" :key="c.order_id">
          <td>
            <RouterLink class="link mono" :to="`/orders/${c.order_id}`">{{
              c.number
            }}</RouterLink><br /><span class="small mute">{{ c.recipient }}</span>
          </td>
          <td v-for="(o, n) in [c.before, c.after]" :key="n" :class="{ mute: n === 0 }">
            <template v-if="o.state !== 'open'">{{ o.state }}</template><template v-else
              >{{ o.service || "no price" }}
              {{ o.price_minor === null ? "" : money(o.price_minor, currency) }}</template
            >
            <br /><span class="small">{{
              [
                o.arrives ? day(o.arrives) : "",
                o.packaging,
                ...o.extras.map((e) => e.replaceAll("_", " ")),
                o.desk,
                ...o.tags,
              ]
                .filter(Boolean)
                .join(" · ")
            }}</span>
            <template v-if="o.snags.length && n === 1"
              ><br /><span class="snag warns small">{{ o.snags[0] }}</span></template
            >
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.sums {
  margin-bottom: 10px;
  max-width: 420px;
}
</style>
