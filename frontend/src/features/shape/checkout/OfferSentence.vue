<script setup lang="ts">
import { computed } from "vue";
import { endingText, limitsText, nameOf, percentText, type Known, type Offer } from "./offers";
import { amountText, minorOf } from "../../../shared/format";
import { SentencePart } from "../../../shared/ui";

/** An offer as a sentence; what is underlined is changed where it stands. */
const props = defineProps<{
  offer: Offer;
  known: Known;
  editable: boolean;
}>();
const emit = defineEmits<{ change: [offer: Offer] }>();
const price = computed(() => props.offer.price);
const said = (minor: number | null | undefined) =>
  typeof minor === "number" ? amountText(minor, props.known.currency) : "";
const names = (codes: string[] | undefined) =>
  (codes ?? []).map((c) => props.known.services[c] ?? c).join(", ") || "no service yet";
const set = (part: Partial<Offer>) => emit("change", { ...props.offer, ...part });
const typed = (text: string) => (text.trim() ? minorOf(text, props.known.currency) : undefined);
function setPrice(
  key: "minor" | "first_minor" | "further_minor" | "base_minor" | "kilogram_minor",
  text: string,
) {
  const minor = typed(text);
  if (minor !== undefined) set({ price: { ...price.value, [key]: minor } });
}
function percent(text: string): void {
  const value = Number(text.replace(",", ".").replace("%", "").trim());
  if (Number.isFinite(value)) set({ percent_bp: Math.round(value * 100) });
}
function ending(text: string): void {
  const figures = Math.max(endingText(0, props.known.currency).replace(".", "").length, 2);
  const digits = text.replace(/\D/g, "").slice(-figures);
  set({ ending_minor: digits ? Number(digits) : null });
}
const limits = computed(() => limitsText(props.offer, props.known));
const free = computed(() => props.offer.free?.from_minor);
const handling = computed(() => props.offer.handling ?? {});
</script>

<template>
  <p class="sentence">
    <template v-if="price.kind === 'live'">
      {{ price.each ? "Each by its own name:" : "The cheapest of" }}
      <b>{{ names(price.services) }}</b>
    </template>
    <template v-else-if="price.kind === 'flat'">
      Always
      <SentencePart
        :model-value="said(price.minor)"
        label="Price"
        :width="7"
        @update:model-value="setPrice('minor', $event)"
      />
    </template>
    <template v-else-if="price.kind === 'per_item'">
      <SentencePart
        :model-value="said(price.first_minor ?? 0)"
        label="For the first piece"
        :width="7"
        @update:model-value="setPrice('first_minor', $event)"
      />
      for the first piece and
      <SentencePart
        :model-value="said(price.further_minor ?? 0)"
        label="For each further piece"
        :width="7"
        @update:model-value="setPrice('further_minor', $event)"
      />
      for each further one
    </template>
    <template v-else-if="price.kind === 'per_kg'">
      <SentencePart
        :model-value="said(price.base_minor ?? 0)"
        label="To begin with"
        :width="7"
        @update:model-value="setPrice('base_minor', $event)"
      />
      and
      <SentencePart
        :model-value="said(price.kilogram_minor ?? 0)"
        label="For each kilogram"
        :width="7"
        @update:model-value="setPrice('kilogram_minor', $event)"
      />
      for each kilogram that is begun
    </template>
    <template v-else
      >By table <b>{{ known.tables[price.table ?? ""] ?? "none" }}</b></template
    ><template v-if="offer.percent_bp"
      >,
      <SentencePart
        :model-value="String(offer.percent_bp / 100)"
        :shown="`${percentText(offer.percent_bp)} ${offer.percent_bp > 0 ? 'on top' : 'off'}`"
        label="Per cent"
        :width="6"
        @update:model-value="percent" /></template
    ><template v-if="offer.amount_minor"
      >, {{ said(Math.abs(offer.amount_minor)) }}
      {{ offer.amount_minor > 0 ? "more" : "less" }}</template
    ><template v-if="handling.parcel"
      >, {{ said(handling.parcel) }} handling for each parcel</template
    ><template v-if="handling.order">, {{ said(handling.order) }} handling</template
    ><template v-if="handling.item">, {{ said(handling.item) }} for each piece</template
    ><template v-if="typeof offer.ending_minor === 'number'"
      >, ending in
      <SentencePart
        :model-value="endingText(offer.ending_minor, known.currency)"
        label="Price ending"
        :width="5"
        @update:model-value="ending" /></template
    ><template v-if="typeof offer.floor_minor === 'number'"
      >, at least
      <SentencePart
        :model-value="said(offer.floor_minor)"
        label="At least"
        :width="7"
        @update:model-value="set({ floor_minor: typed($event) ?? null })" /></template
    ><template v-if="typeof offer.ceiling_minor === 'number'"
      >, at most
      <SentencePart
        :model-value="said(offer.ceiling_minor)"
        label="At most"
        :width="7"
        @update:model-value="set({ ceiling_minor: typed($event) ?? null })" /></template
    ><template v-if="offer.takes?.length && price.kind !== 'live'"
      >, where {{ names(offer.takes) }} takes the basket</template
    ><template v-if="price.kind === 'live'"
      >; if nobody answers
      <SentencePart
        :model-value="said(offer.fallback?.home_minor)"
        :shown="said(offer.fallback?.home_minor) || 'nothing'"
        label="If nobody answers, at home"
        :width="7"
        @update:model-value="
          set({ fallback: { ...offer.fallback, home_minor: typed($event) ?? null } })
        " /></template
    >.
    <template v-if="typeof free === 'number'">
      Free from
      <SentencePart
        :model-value="said(free)"
        label="Free from"
        :width="8"
        @update:model-value="set({ free: { ...offer.free, from_minor: typed($event) ?? null } })"
      />
      {{ offer.free?.counts === "after" ? "after" : "before" }} vouchers.
    </template>
    <template v-if="limits">For {{ limits }}. </template>
    <template v-for="(minor, group) in offer.groups" :key="group"
      >{{ group }}: {{ said(minor) }}.
    </template>
    <span v-if="offer.on === false" class="press"> {{ nameOf(offer) }} is switched off.</span>
  </p>
</template>

<style scoped>
.sentence {
  margin: 4px 0 0;
  font-size: 15px;
  line-height: 1.75;
}
</style>
