<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { channelStockQuery } from "../queries";
import { type Schemas } from "../../../api/client";
import { count, dayAndClock } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { SelectField } from "../../../shared/ui";

/** Whose levels of stock hold at a channel, and what is known of them so far. */
const whose = defineModel<Schemas["ChannelMapping"]["stock"]>({ required: true });
const props = defineProps<{ channel: Schemas["ChannelOut"] }>();

const { zone, may } = useMe();
const CHOICES = [
  { value: "", title: "not exchanged" },
  { value: "ours", title: "we count, it is told" },
  { value: "theirs", title: "it counts, we read" },
];
const { data: seen } = useQuery(
  computed(() => channelStockQuery(props.channel.code, props.channel.stock !== "")),
);
</script>

<template>
  <div class="row">
    <span class="mute">stock</span>
    <SelectField
      v-model="whose"
      label="Whose levels of stock hold"
      :disabled="!may()"
      :items="CHOICES"
    />
    <span v-if="channel.stock" class="mute small">
      <template v-if="seen?.at"
        >{{ count(seen.articles, "level") }} of stock
        {{ channel.stock === "ours" ? "told" : "read" }}, the last {{ dayAndClock(seen.at, zone) }}.
        <span v-if="seen.unknown.length" class="warn"
          >{{ channel.stock === "ours" ? "It does not have" : "We do not have" }}
          {{ seen.unknown.join(", ") }}.</span
        ></template
      ><template v-else-if="channel.stock === 'ours'"
        >Nothing was told yet: count the pieces in Set-up, Products.</template
      ><template v-else>Nothing was read yet; it comes with the next pull.</template>
    </span>
  </div>
</template>
