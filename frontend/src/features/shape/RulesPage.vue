<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { watchDebounced } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { type Schemas } from "../../api/client";
import { count } from "../../shared/format";
import RehearsalView from "../../shared/RehearsalView.vue";
import { useMe } from "../../shared/session";
import LayerList from "./LayerList.vue";
import RuleEditor from "./RuleEditor.vue";
import RuleVersions from "./RuleVersions.vue";
import { layersQuery, rulesQuery, vocabularyQuery, rehearseRules, saveRules } from "./queries";
import { copy, fresh, type Rule } from "./written";
import { CheckField, ErrorNote } from "../../shared/ui";

const client = useQueryClient();
const { may } = useMe();
const { data: layers, error } = useQuery(layersQuery);
const { data: inForce } = useQuery(rulesQuery);
const { data: vocabulary } = useQuery(vocabularyQuery);
const KEPT = "tidewind.rules.draft";
const draft = ref<Rule[]>([]);
const base = ref(0);
const editing = ref("");
const showVersions = ref(false);
const note = ref("");
const changed = computed(
  () => JSON.stringify(draft.value) !== JSON.stringify(inForce.value?.rules ?? []),
);

function begin(): void {
  draft.value = copy((inForce.value?.rules ?? []) as unknown as Rule[]);
  base.value = inForce.value?.version ?? 0;
  localStorage.removeItem(KEPT);
}
watch(
  inForce,
  (rules) => {
    if (!rules || (changed.value && draft.value.length)) return;
    const kept = JSON.parse(localStorage.getItem(KEPT) ?? "null") as {
      base: number;
      rules: Rule[];
    } | null;
    begin();
    if (kept && kept.base === rules.version) draft.value = kept.rules; // what was typed and not saved is still here
  },
  { immediate: true },
);
watch(
  draft,
  () => {
    if (changed.value)
      localStorage.setItem(KEPT, JSON.stringify({ base: base.value, rules: draft.value }));
  },
  { deep: true },
);

const rehearsed = ref<Schemas["RulesRehearsed"]>();
const rehearsalError = ref<unknown>();
const past = ref(false);
// What is shown is always said of the newest words: an answer to older ones is dropped, and until the new one comes it is dimmed.
let asked = 0;
const stale = ref(true);
async function rehearse(): Promise<void> {
  const mine = ++asked;
  try {
    const found = await rehearseRules({ past: past.value }, { rules: draft.value });
    if (mine !== asked) return;
    rehearsed.value = found;
    rehearsalError.value = undefined;
  } catch (e) {
    if (mine !== asked) return;
    rehearsalError.value = e;
  }
  stale.value = false;
}
watch(
  [draft, base, past],
  () => {
    stale.value = true;
    asked += 1;
  },
  { deep: true },
);
watchDebounced([draft, base, past], () => may("shipper") && void rehearse(), {
  deep: true,
  debounce: 400,
});
const save = useMutation({
  mutationFn: () => saveRules({ base_version: base.value, rules: draft.value, note: note.value }),
  onSuccess: async (saved) => {
    localStorage.removeItem(KEPT);
    note.value = "";
    editing.value = "";
    base.value = saved.version;
    await client.refetchQueries({ queryKey: ["rules"] });
    begin(); // as the server wrote it
    await client.invalidateQueries();
  },
});
const sentence = (id: string) =>
  rehearsed.value?.words.find((w) => w.id === id) ?? inForce.value?.words.find((w) => w.id === id);
const touched = (id: string) =>
  rehearsed.value?.rehearsal.rule_matches[id] ?? inForce.value?.touched[id] ?? 0;
function add(): void {
  const rule = fresh();
  draft.value.push(rule);
  editing.value = rule.id;
}
function move(at: number, by: number): void {
  const to = at + by;
  if (to < 0 || to >= draft.value.length) return;
  const [rule] = draft.value.splice(at, 1);
  draft.value.splice(to, 0, rule!);
}
const dragged = ref(-1);
function drop(at: number): void {
  if (dragged.value >= 0 && dragged.value !== at) move(dragged.value, at - dragged.value);
  dragged.value = -1;
}
function takeFile(files: FileList | null): void {
  const file = files?.[0];
  if (!file) return;
  void file.text().then((text) => {
    try {
      const body = JSON.parse(text) as { rules?: Rule[] } | Rule[];
      draft.value = Array.isArray(body) ? body : (body.rules ?? []);
    } catch {
      rehearsalError.value = new Error(`${file.name} is no JSON. Nothing was changed.`);
    }
  });
}
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Rules</h1>
      <span class="mute"
        >Every plan is made by these layers, from top to bottom; the later one wins</span
      >
      <span class="grow" />
      <a class="link" href="/api/rules/file">Save as a file</a>
      <label v-if="may()" class="link"
        >Bring in a file<input
          class="visually-hidden"
          type="file"
          accept=".json,application/json"
          @change="takeFile(($event.target as HTMLInputElement).files)"
      /></label>
      <button
        class="link"
        type="button"
        :aria-expanded="showVersions"
        @click="showVersions = !showVersions"
      >
        Versions
      </button>
    </div>
    <ErrorNote :error="error" />
    <RuleVersions v-if="showVersions" @restored="begin" />
    <div class="two">
      <section aria-label="Layers">
        <LayerList v-if="layers" :layers="layers">
          <div class="layer own">
            <div class="between">
              <h2>5 · Rules</h2>
              <span class="mute"
                >touch {{ count(layers.touched["rule"] ?? 0, "waiting order") }}</span
              >
            </div>
            <p v-if="!draft.length" class="mute">
              No rule yet. A rule says in one sentence what should happen to which orders.
            </p>
            <ol class="rules">
              <!-- eslint-disable-next-line vuejs-accessibility/no-static-element-interactions -- dragging is a second way: the buttons Up and Down do the same -->
              <li
                v-for="(rule, i) in draft"
                :key="rule.id"
                :class="{ off: !rule.on, editing: editing === rule.id }"
                :draggable="may() && editing !== rule.id"
                @dragstart="dragged = i"
                @dragover.prevent
                @drop="drop(i)"
              >
                <div class="line">
                  <CheckField
                    v-model="rule.on"
                    :disabled="!may()"
                    :aria-label="`Rule ${i + 1} is on`"
                  />
                  <!-- eslint-disable-next-line vuejs-accessibility/no-static-element-interactions, vuejs-accessibility/click-events-have-key-events -- a larger target for the button Edit -->
                  <div class="words" @click="may() && editing !== rule.id && (editing = rule.id)">
                    <b>{{ i + 1 }}. {{ rule.name || "No name yet" }}</b
                    ><br />
                    <template v-if="sentence(rule.id)"
                      ><span :class="{ mute: stale && editing === rule.id }"
                        >If {{ sentence(rule.id)!.when }}, then
                        {{ sentence(rule.id)!.do.join("; ") }}.</span
                      ></template
                    >
                  </div>
                  <span class="right nowrap">{{
                    count(touched(rule.id), "match", "matches")
                  }}</span>
                  <span v-if="may()" class="nowrap">
                    <button
                      class="key"
                      type="button"
                      :aria-label="`Move rule ${i + 1} up`"
                      @click="move(i, -1)"
                    >
                      ↑
                    </button>
                    <button
                      class="key"
                      type="button"
                      :aria-label="`Move rule ${i + 1} down`"
                      @click="move(i, 1)"
                    >
                      ↓
                    </button>
                    <button
                      class="link"
                      type="button"
                      @click="editing = editing === rule.id ? '' : rule.id"
                    >
                      {{ editing === rule.id ? "Close" : "Change" }}
                    </button>
                    <button
                      class="link"
                      type="button"
                      :aria-label="`Remove rule ${i + 1}`"
                      @click="draft.splice(i, 1)"
                    >
                      ×
                    </button>
                  </span>
                </div>
                <RuleEditor
                  v-if="editing === rule.id && vocabulary"
                  v-model:rule="draft[i]!"
                  :vocabulary="vocabulary"
                  :matched="rehearsed?.rehearsal.matched[rule.id] ?? []"
                  :touched="touched(rule.id)"
                />
              </li>
            </ol>
            <button v-if="may()" class="link" type="button" @click="add">Add a rule</button>
          </div>
        </LayerList>
      </section>
      <section aria-label="Rehearsal">
        <h2>{{ changed ? "If you switch this on" : "As it is now" }}</h2>
        <ErrorNote :error="save.error.value ?? rehearsalError" />
        <p v-if="stale && rehearsed" class="mute" role="status">
          Trying it over the waiting orders…
        </p>
        <div v-if="rehearsed" :class="{ dim: stale }">
          <p class="row-of">
            <button type="button" class="chip" :aria-pressed="!past" @click="past = false">
              Waiting</button
            ><button type="button" class="chip" :aria-pressed="past" @click="past = true">
              Last 90 days
            </button>
          </p>
          <RehearsalView
            :found="rehearsed.rehearsal"
            :past="past"
            :idle="
              changed
                ? undefined
                : `${count(rehearsed.rehearsal.looked_at, past ? 'order' : 'waiting order')} follow these layers. Change a rule and see here, before it is switched on, which of them would change and what it costs.`
            "
          />
        </div>
        <p v-else-if="!rehearsalError" class="mute">Trying it over the waiting orders…</p>
        <div v-if="may() && changed" class="save">
          <v-text-field v-model="note" label="A note for the versions" maxlength="200" />
          <div class="between">
            <v-btn variant="text" @click="begin">Throw away</v-btn
            ><v-btn :loading="save.isPending.value" @click="save.mutate()"
              >Switch on{{
                rehearsed && !past ? ` · ${count(rehearsed.rehearsal.changed, "order")} change` : ""
              }}</v-btn
            >
          </div>
        </div>
      </section>
    </div>
  </div>
</template>

<style scoped>
.row-of {
  display: flex;
  gap: 6px;
  margin: 6px 0;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 400px;
  gap: 22px;
  align-items: start;
}
@media (max-width: 1100px) {
  .two {
    grid-template-columns: 1fr;
  }
}
.between {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  align-items: baseline;
}
.layer {
  border: 1px solid var(--line);
  background: var(--sheet);
  padding: 10px 14px;
}
.rules {
  list-style: none;
  margin: 6px 0;
  padding: 0;
}
.rules li {
  border-top: 1px solid var(--line);
  padding: 6px 0;
}
.line {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr) auto auto;
  gap: 12px;
  align-items: center;
}
.words {
  cursor: pointer;
}
.off .words {
  color: var(--mute);
}
.nowrap {
  white-space: nowrap;
}
h3 {
  font-size: 12px;
  color: var(--mute);
  font-weight: 600;
  margin: 8px 0 2px;
}
.save {
  border-top: 1px solid var(--line);
  margin-top: 12px;
  padding-top: 12px;
  display: grid;
  gap: 10px;
  position: sticky;
  bottom: 0;
  background: var(--paper);
}
.dim {
  opacity: 0.55;
}
</style>
