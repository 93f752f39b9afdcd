<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { country, day, money } from "../../../shared/format";
import { useMe } from "../../../shared/session";
import { ErrorNote } from "../../../shared/ui";
import { keepContact } from "../../shop";
import { changesAddress, useAfterOrders, type OrderRow, type Sheet } from "../queries";
import WorthDialog from "../fix/WorthDialog.vue";
import SentAlready from "./SentAlready.vue";
import SentBy from "./SentBy.vue";

const props = defineProps<{ sheet: Sheet; editable: boolean }>();
const emit = defineEmits<{ fix: [row: OrderRow]; link: [row: OrderRow] }>();
const { currency, may } = useMe();
const after = useAfterOrders();
const row = computed(() => props.sheet.row);
const telling = ref(false);
const valuing = ref(false);
const keep = useMutation({ mutationFn: () => keepContact(props.sheet.home, props.sheet.address) });
</script>

<template>
  <section aria-label="What, and to whom">
    <h2>What, and to whom</h2>
    <ErrorNote :error="keep.error.value" />
    <h3>Promise</h3>
    <p>
      <b>{{ row.promise_date ? `By ${day(row.promise_date)}` : "No date" }}</b><template
        v-if="row.promise"
        >, “{{ row.promise }}”</template
      >, paid
      {{ money(row.paid_shipping_minor, row.currency || currency) }}
      <button
        v-if="row.promise && !row.promise_linked && may('shipper')"
        class="link"
        type="button"
        @click="emit('link', row)"
      >
        Not linked yet: link it
      </button>
    </p>
    <p v-if="sheet.sold" class="small mute">
      Sold as {{ sheet.sold.name }}, version {{ sheet.sold.version
      }}<template v-if="sheet.sold.boxes.length">, in {{ sheet.sold.boxes.join(" and ") }}</template
      ><template v-if="sheet.sold.price_minor !== null"
        >, for {{ money(sheet.sold.price_minor, currency) }}</template
      >
    </p>
    <h3>To</h3>
    <address>
      <template
        v-for="part in [
          sheet.address.name,
          sheet.address.company,
          sheet.address.street,
          sheet.address.extra,
          `${sheet.address.postcode} ${sheet.address.city}`,
          sheet.address.region,
          country(sheet.address.country),
        ]"
        :key="part"
        ><span v-if="part.trim()">{{ part }}<br /></span
      ></template>
      <span class="mute"
        >{{ sheet.home ? "home" : "business"
        }}<template v-if="sheet.address.phone"> · {{ sheet.address.phone }}</template></span
      >
    </address>
    <p v-if="sheet.latin" class="mute small">
      In Latin letters, for carriers that print no others:
      {{ [sheet.latin.name, sheet.latin.street, sheet.latin.city].filter(Boolean).join(", ") }}
    </p>
    <button
      v-if="editable || (row.state === 'open' && may('care'))"
      class="quiet tall"
      type="button"
      @click="emit('fix', changesAddress(row))"
    >
      Change the address
    </button>
    <button
      v-if="may('shipper', 'care') && !keep.data.value"
      class="quiet tall"
      type="button"
      @click="keep.mutate()"
    >
      Keep in the address book</button
    ><span v-if="keep.data.value" class="fine small">in the address book</span>
    <SentBy :sheet="sheet" :editable="editable" />
    <h3>Items</h3>
    <table class="plain-table items">
      <tbody>
        <tr v-for="l in sheet.lines" :key="l.id">
          <td class="right">
            <b>{{ l.quantity - l.sent }}</b><span v-if="l.sent" class="small mute">
              of {{ l.quantity }}</span
            >
          </td>
          <td>
            {{ l.name }}<br /><span class="mono mute small">{{ l.sku }}</span>
          </td>
          <td class="right">
            {{ money(l.unit_price_minor * l.quantity, row.currency || currency) }}
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="sheet.hand.worth && row.currency" class="small">
      Valued at {{ money(sheet.hand.worth.minor, currency)
      }}<button v-if="editable" class="link" type="button" @click="valuing = true">Change</button>
    </p>
    <WorthDialog v-if="valuing" :row="row" @close="valuing = false" />
    <SentAlready
      v-if="telling && editable"
      :id="row.id"
      :lines="sheet.lines"
      @close="telling = false"
      @done="
        telling = false;
        after();
      "
    />
    <button v-else-if="editable" class="quiet tall" type="button" @click="telling = true">
      Some were sent already
    </button>
    <p v-if="row.tags.length || row.desk" class="small">
      {{ row.desk ? `Desk: ${row.desk}. ` : ""
      }}{{ row.tags.length ? `Tags: ${row.tags.join(", ")}` : "" }}
    </p>
    <p v-if="row.payment !== 'paid'" class="press">
      {{ row.payment === "pay_on_delivery" ? "Pay on delivery" : "Unpaid" }}
    </p>
    <template v-if="sheet.note"
      ><h3>Note from the buyer</h3>
      <p>{{ sheet.note }}</p></template
    >
  </section>
</template>

<style scoped>
address {
  font-style: normal;
}
.items td {
  padding: 3px 4px;
}
.tall {
  margin-right: 12px;
}
</style>
