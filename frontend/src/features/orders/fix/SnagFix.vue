<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { packagingQuery } from "../../shop";
import AddressForm from "../../../shared/AddressForm.vue";
import { useMe } from "../../../shared/session";
import { approveOrders } from "../../buying";
import { customsQuery, ProductCustoms, setCustoms, type CustomsSaid } from "../../customs";
import {
  orderQuery,
  snagGroupsQuery,
  type OrderRow,
  setProductFacts,
  useBillingNames,
  clearParty,
  changeAddress,
  changeHand,
} from "../queries";
import { FormDialog } from "../../../shared/ui";
import WorthDialog from "./WorthDialog.vue";
import { lengthToMm, pieceToGrams, pieceUnit, sideUnit } from "../../../shared/units";

const props = defineProps<{ row: OrderRow }>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const router = useRouter();
const snag = computed(() => props.row.snags[0]);
const { data: sheet } = useQuery(computed(() => orderQuery(props.row.id)));
const { data: boxes } = useQuery(packagingQuery);
const weight = ref("");
const sides = ref(["", "", ""]);
const box = ref<string | null>(null);
const reason = ref("");
const described = ref("");
const code = ref("");
const madeIn = ref("");
const given = ref("");
const { data: customs } = useQuery(
  computed(() => ({
    ...customsQuery(props.row.id),
    enabled: ["product_customs", "customs"].includes(snag.value?.fix ?? ""),
  })),
);
/** The item that the snag is about, as it is declared now: what is known already need not be typed again. */
const item = computed(() => customs.value?.items.find((i) => i.sku === snag.value?.about));
watch(
  item,
  (known) => {
    if (!known || described.value) return;
    described.value = known.text;
    code.value = known.hs_code;
    madeIn.value = known.origin;
  },
  { immediate: true },
);
/** What was said of the declaration, with the number that is missing. */
function declaredToo(): CustomsSaid {
  const kept = customs.value!.said;
  return snag.value?.code === "recipient_number"
    ? { ...kept, recipient_number: given.value }
    : { ...kept, papers: { ...kept.papers, [snag.value?.about ?? ""]: given.value } };
}
const { data: groups } = useQuery(snagGroupsQuery);
const { may } = useMe();
/** How many waiting orders have this very snag: one fix serves them all. */
const alike = computed(
  () =>
    groups.value?.find((g) => g.fix === snag.value?.fix && g.about === snag.value?.about)
      ?.order_ids ?? [props.row.id],
);
const sameFix = computed(() =>
  (groups.value ?? []).filter((g) => g.fix === snag.value?.fix).flatMap((g) => g.order_ids),
);
const address = ref<NonNullable<typeof sheet.value>["address"]>();
const seen = ref<typeof address.value>();
const home = ref(true);
watch(
  sheet,
  (s) => {
    if (s && !address.value) {
      address.value = { ...s.address };
      seen.value = s.address;
      home.value = s.home;
    }
  },
  { immediate: true },
);

/** What was typed, brought to grams or millimetres; nothing where it is no figure. */
function whole(text: string, from: (figure: number) => number): number {
  const value = Number(text.replace(",", "."));
  return Number.isFinite(value) ? from(value) : 0;
}
const save = useMutation({
  mutationFn: async () => {
    switch (snag.value?.fix) {
      case "product_weight":
        return await setProductFacts(snag.value.about, {
          weight_g: whole(weight.value, pieceToGrams),
        });
      case "product_size": {
        const [a, b, c] = sides.value.map((s) => whole(s, lengthToMm));
        return await setProductFacts(snag.value.about, { sides_mm: [a ?? 0, b ?? 0, c ?? 0] });
      }
      case "product_customs":
        return await setProductFacts(snag.value.about, {
          customs_text: described.value,
          hs_code: code.value,
          origin: madeIn.value,
        });
      case "customs":
        return await setCustoms(props.row.id, declaredToo());
      case "billing_name":
        return await useBillingNames({
          order_ids: everyone.value ? sameFix.value : [props.row.id],
        });
      case "approve":
        return await approveOrders({ order_ids: everyone.value ? sameFix.value : [props.row.id] });
      case "clear_party":
        return await clearParty(props.row.id, { party: snag.value.about, reason: reason.value });
      case "address":
        return await changeAddress(props.row.id, {
          address: address.value!,
          home: home.value,
          seen: seen.value,
        });
      default:
        return await changeHand(props.row.id, { packaging: box.value });
    }
  },
  onError: async () => {
    // Somebody was quicker: what is typed stays, and is saved over theirs only when asked for again.
    seen.value = (await client.fetchQuery(orderQuery(props.row.id))).address;
  },
  onSuccess: () => {
    for (const key of ["orders", "order", "today"])
      void client.invalidateQueries({ queryKey: [key] });
    emit("close");
  },
});
const buttonWords = computed(() => {
  const many =
    snag.value?.fix.startsWith("product") && alike.value.length > 1
      ? ` for all ${alike.value.length} orders`
      : "";
  return (
    {
      billing_name: "Use that name",
      approve: everyone.value ? `Approve ${sameFix.value.length} orders` : "Approve",
      clear_party: "Clear it, on record",
    }[snag.value?.fix ?? ""] ?? `Save and plan again${many}`
  );
});
const everyone = ref(false);
const openable = computed(() => ["service", "none"].includes(snag.value?.fix ?? "none"));
</script>

<template>
  <WorthDialog v-if="snag?.fix === 'worth'" :row="row" :also="alike" @close="emit('close')" />
  <FormDialog
    v-else
    title="Fix a snag"
    :width="640"
    :error="save.error.value"
    @close="emit('close')"
    @send="save.mutate()"
  >
    <template #title
      ><span class="snag" :class="snag?.level">{{ snag?.words }}</span></template
    >
    <p class="mute">Order {{ row.number }}, {{ row.items }}</p>
    <template v-if="snag?.fix === 'product_weight'">
      <v-text-field
        v-model="weight"
        v-first
        label="Weight of one piece"
        :suffix="pieceUnit()"
        inputmode="decimal"
        required
      />
      <p class="mute small">
        It is kept with the product {{ snag.about }}: every waiting order with it is planned anew.
      </p>
    </template>
    <template v-else-if="snag?.fix === 'product_size'">
      <div class="form-grid">
        <v-text-field
          v-for="(name, i) in ['Length', 'Width', 'Height']"
          :key="name"
          v-model="sides[i]"
          v-first="i === 0"
          class="w2"
          :label="name"
          :suffix="sideUnit()"
          inputmode="decimal"
          required
        />
      </div>
      <p class="mute small">
        It is kept with the product {{ snag.about }}: every waiting order with it is planned anew.
      </p>
    </template>
    <template v-else-if="snag?.fix === 'product_customs'">
      <ProductCustoms
        v-model:text="described"
        v-model:code="code"
        v-model:origin="madeIn"
        asked
        :sku="snag.about"
        :name="item?.name ?? ''"
      />
      <p class="mute small">
        It is kept with the product {{ snag.about }}: every waiting order with it is planned anew.
      </p>
    </template>
    <template v-else-if="snag?.fix === 'customs'">
      <p>{{ snag.words }}</p>
      <v-text-field v-model="given" v-first label="Its number" maxlength="40" required />
    </template>
    <template v-else-if="snag?.fix === 'customs_numbers'">
      <p>{{ snag.words }}</p>
      <p>
        <RouterLink v-if="may()" class="link" to="/set-up/customs"
          >Set-up, Customs holds our numbers</RouterLink
        ><template v-else>The owner has to say it under Set-up, Customs.</template>
      </p>
    </template>
    <template v-else-if="snag?.fix === 'billing_name'">
      <p>
        The shipping address has no name. The bill goes to <b>{{ snag.about }}</b>: send it to that
        name?
      </p>
      <v-checkbox
        v-if="sameFix.length > 1"
        v-model="everyone"
        :label="`The same for all ${sameFix.length} orders without a name`"
      />
    </template>
    <template v-else-if="snag?.fix === 'approve'">
      <p v-if="!may()">The owner has to approve it.</p>
      <v-checkbox
        v-else-if="sameFix.length > 1"
        v-model="everyone"
        :label="`Approve all ${sameFix.length} orders that wait for it`"
      />
    </template>
    <template v-else-if="snag?.fix === 'clear_party'">
      <p>
        Compare the recipient with the list. Only if this is somebody else, clear it and say why; it
        stays on record.
      </p>
      <v-text-field
        v-model="reason"
        v-first
        label="Why this is not the listed party"
        maxlength="500"
        required
      />
    </template>
    <AddressForm
      v-else-if="snag?.fix === 'address' && address"
      v-model="address"
      v-model:home="home"
      :doubtful="row.snags.map((s) => s.about)"
    />
    <template v-else-if="snag?.fix === 'packaging'">
      <v-select
        v-model="box"
        label="Packaging for this order"
        clearable
        :items="
          (boxes ?? [])
            .filter((b) => b.active && !b.carrier)
            .map((b) => ({ title: b.name, value: b.code }))
        "
      />
      <p class="mute small">Left empty, the program chooses again.</p>
    </template>
    <p v-else>Open the order to choose another service, box or ship date.</p>
    <template #actions
      ><v-btn
        v-if="openable"
        @click="
          emit('close');
          router.push(`/orders/${row.id}`);
        "
        >Open the order</v-btn
      >
      <v-btn
        v-else
        type="submit"
        :disabled="snag?.fix === 'approve' && !may()"
        :loading="save.isPending.value"
        >{{ buttonWords }}</v-btn
      ></template
    >
  </FormDialog>
</template>
