<script setup lang="ts">
import { computed } from "vue";
import { useMe } from "../../shared/session";
import { SelectField, named } from "../../shared/ui";

/** The shop's own ranking of services, the first at the top; services by code with their names. */
const kept = defineModel<string[]>();
const props = defineProps<{ services: Record<string, string> }>();
const { may } = useMe();
const ranking = computed(() => kept.value ?? []);
function rank(code: string, by: number): void {
  const next = ranking.value.filter((c) => c !== code);
  const at = ranking.value.indexOf(code);
  if (by !== 0) next.splice(Math.max(0, (at < 0 ? next.length : at) + by), 0, code);
  kept.value = next;
}
const unranked = computed(() =>
  named(props.services).filter((s) => !ranking.value.includes(s.value)),
);
</script>

<template>
  <div>
    <ol class="ranking">
      <li v-for="code in ranking" :key="code">
        {{ services[code] }}
        <template v-if="may()"
          ><button
            class="key"
            type="button"
            :aria-label="`${services[code]} up`"
            @click="rank(code, -1)"
          >
            ↑
          </button>
          <button
            class="key"
            type="button"
            :aria-label="`${services[code]} down`"
            @click="rank(code, 1)"
          >
            ↓
          </button>
          <button
            class="link"
            type="button"
            :aria-label="`Remove ${services[code]}`"
            @click="rank(code, 0)"
          >
            ×
          </button></template
        >
      </li>
    </ol>
    <SelectField
      v-if="may()"
      label="Service to rank"
      model-value=""
      :items="[{ value: '', title: 'Add a service…' }, ...unranked]"
      @update:model-value="$event && rank($event, 1)"
    />
  </div>
</template>

<style scoped>
.ranking {
  margin: 4px 0;
  padding-left: 22px;
}
</style>
