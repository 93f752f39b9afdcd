<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { useDebounceFn } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { type Schemas } from "../../../api/client";
import { count } from "../../../shared/format";
import { ErrorNote, FormDialog, SelectField } from "../../../shared/ui";
import { saveFeed, tryFeed } from "../queries";

/** A feed: where it looks, and for JSON which expression finds each field, with what comes of it beside. */
const props = defineProps<{
  feed?: Schemas["FeedOut"];
  known: string[];
  needed: string[];
  below: string;
}>();
const emit = defineEmits<{ close: [] }>();
const client = useQueryClient();
const blank: Schemas["FeedIn"] = {
  name: "",
  kind: "http",
  address: "",
  header: "Authorization",
  secret: null,
  orders: "",
  lines: "",
  fields: {},
  weight_unit: "g",
  every_minutes: 10,
  active: true,
};
const start = (f: Schemas["FeedOut"]): Schemas["FeedIn"] => ({
  name: f.name,
  kind: f.kind,
  address: f.address,
  header: f.header,
  secret: null,
  orders: f.orders,
  lines: f.lines,
  fields: { ...f.fields },
  weight_unit: f.weight_unit,
  every_minutes: f.every_minutes,
  active: f.active,
});
const draft = ref<Schemas["FeedIn"]>(props.feed ? start(props.feed) : { ...blank, fields: {} });
const secret = ref("");
const body = computed(() => ({ ...draft.value, secret: secret.value || draft.value.secret }));
const KINDS = [
  { value: "http" as const, title: "an address (JSON, CSV)" },
  { value: "folder" as const, title: "a folder of this machine" },
  { value: "sftp" as const, title: "a folder by SFTP" },
];
const EXAMPLES = {
  http: "https://shop.example/orders.json?since={since}",
  folder: "export",
  sftp: "sftp://name@host/folder",
};
const UNITS = (["g", "kg", "lb", "oz"] as const).map((value) => ({ value, title: value }));
const title = (field: string) =>
  field === "weight_g" ? "weight" : field.replaceAll("_", " ").replace("standing", "state");
const look = useMutation({ mutationFn: () => tryFeed(props.feed?.id, body.value) });
const { isPending: looking } = look;
const json = computed(() => /^\s*[{[]/.test(look.data.value?.beginning ?? ""));
const mapped = computed(() => Object.values(draft.value.fields ?? {}).some(Boolean));
// What is typed shows at once what comes of it; the first look is asked for.
const again = useDebounceFn(() => look.mutate(), 700);
watch(
  () => [draft.value.orders, draft.value.lines, draft.value.fields, draft.value.weight_unit],
  () => {
    if (look.data.value) void again();
  },
  { deep: true },
);
const save = useMutation({
  mutationFn: () => saveFeed(props.feed?.id, body.value),
  onSuccess: () => {
    void client.invalidateQueries();
    emit("close");
  },
});
const { isPending: saving } = save;
</script>

<template>
  <FormDialog
    :title="feed ? `Change ${feed.name}` : 'Add a feed'"
    :width="json || mapped ? 1080 : 620"
    :error="save.error.value"
    @close="emit('close')"
    @send="save.mutate()"
  >
    <div class="form-grid">
      <v-text-field v-model="draft.name" v-first class="w3" label="Name of its channel" required />
      <SelectField v-model="draft.kind" class="w3" label="It comes from" above :items="KINDS" />
      <v-text-field
        v-model="draft.address"
        class="w6"
        :label="draft.kind === 'folder' ? `Folder, below ${below}` : 'Address'"
        :placeholder="EXAMPLES[draft.kind]"
        required
      />
      <template v-if="draft.kind !== 'folder'">
        <v-text-field
          v-if="draft.kind === 'http'"
          v-model="draft.header"
          class="w3"
          label="Header of its key"
        />
        <v-text-field
          v-model="secret"
          class="w3"
          :label="
            draft.kind === 'sftp'
              ? 'Password or private key'
              : feed?.has_secret
                ? 'Another key (it has one)'
                : 'Key, if it asks for one'
          "
          type="password"
          autocomplete="off"
        />
      </template>
      <v-text-field
        v-model.number="draft.every_minutes"
        class="w2"
        type="number"
        min="1"
        max="1440"
        label="Look every … minutes"
      />
    </div>
    <p class="mute small">
      <template v-if="draft.kind === 'http'"
        >{since} in the address becomes the instant of the last look. </template
      >A table is mapped once on the Import page; JSON is mapped here by JMESPath.
    </p>
    <p>
      <v-btn variant="outlined" :loading="looking" @click="look.mutate()"
        >Look there, keep nothing</v-btn
      >
    </p>
    <ErrorNote :error="look.error.value" />
    <div v-if="look.data.value || mapped" class="two" :class="{ plain: !(json || mapped) }">
      <section v-if="json || mapped" aria-label="Fields">
        <div class="form-grid">
          <v-text-field
            v-model="draft.orders"
            class="w3"
            label="The orders"
            placeholder="data.orders"
          />
          <v-text-field
            v-model="draft.lines"
            class="w3"
            label="The lines in an order"
            placeholder="items"
          />
        </div>
        <p class="mute small">In a field, a line of the order is called “line”: line.sku</p>
        <div class="fields">
          <v-text-field
            v-for="f in known"
            :key="f"
            v-model="draft.fields![f]"
            :label="title(f) + (needed.includes(f) ? ' *' : '')"
          />
          <SelectField v-model="draft.weight_unit!" label="Weights are in" above :items="UNITS" />
        </div>
      </section>
      <section v-if="look.data.value" aria-label="What comes of it" aria-live="polite">
        <p class="mute small">
          {{
            look.data.value.files.length ? look.data.value.files.join(", ") : "No file there yet."
          }}
        </p>
        <p v-for="w in look.data.value.wrong" :key="w" class="note bad">{{ w }}</p>
        <p v-for="o in look.data.value.orders" :key="o.number" class="order">
          <b>{{ o.number }}</b> {{ o.recipient }}, {{ o.destination }}<br /><span class="mute">{{
            o.items
          }}</span>
        </p>
        <p v-if="look.data.value.faults.length" class="stop small">
          {{ count(look.data.value.faults.length, "row") }} kept back:
          {{ look.data.value.faults[0]!.words }}
        </p>
        <pre v-if="look.data.value.beginning" tabindex="0" aria-label="How it begins">{{
          look.data.value.beginning
        }}</pre>
      </section>
    </div>
    <template #actions><v-btn type="submit" :loading="saving">Save the feed</v-btn></template>
  </FormDialog>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 22px;
  margin-top: 10px;
}
.two.plain {
  grid-template-columns: minmax(0, 1fr);
}
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.order {
  padding: 6px 0;
  border-bottom: 1px solid var(--line);
}
pre {
  max-height: 320px;
  overflow: auto;
  padding: 10px;
  font-size: 12px;
  border: 1px solid var(--line);
}
</style>
