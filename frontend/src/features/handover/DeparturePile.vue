<script setup lang="ts">
import { computed } from "vue";
import { type Schemas } from "../../api/client";
import { count, kilograms, roomTaken } from "../../shared/format";
import { useMe } from "../../shared/session";
import { DataTable } from "../../shared/ui";

/** What lies at a handover by service; the labels of a service can leave on another day. */
const props = defineProps<{ lane: Schemas["LaneOut"] }>();
const emit = defineEmits<{ later: [pile: Schemas["PileOut"]] }>();
const { may } = useMe();
const movable = computed(
  () => may("shipper") && (props.lane.state === "open" || props.lane.state === "missed"),
);
const labels = computed(() => props.lane.piles.reduce((n, p) => n + p.labels, 0));
const printed = computed(() => props.lane.piles.reduce((n, p) => n + p.printed, 0));
</script>

<template>
  <section aria-label="What lies there">
    <h2>
      {{ lane.name
      }}<template v-if="labels">: {{ printed }} of {{ count(labels, "label") }} printed</template>
    </h2>
    <DataTable
      label="By service"
      :columns="[
        'Service',
        { title: 'Labels', figure: true },
        { title: 'Weight', figure: true },
        { title: 'Volume', figure: true },
        'Leaves',
      ]"
      :rows="lane.piles"
      :row-key="(p) => p.service"
      none="Nothing is bought for this departure yet."
      ><template #row="{ row: p }">
        <td>
          <b>{{ p.name }}</b><br /><span class="small mute"
            >{{ p.printed }} printed<template v-if="p.counted"
              >, {{ p.counted }} counted out</template
            ><template v-if="p.gone">, {{ p.gone }} gone</template></span
          >
        </td>
        <td class="right">{{ p.labels }}</td>
        <td class="right">{{ kilograms(p.gross_g) }}</td>
        <td class="right">{{ roomTaken(p.volume_mm3) }}</td>
        <td>
          <button v-if="movable" type="button" class="link" @click="emit('later', p)">
            Another day <kbd v-if="p === lane.piles[0]" class="key">l</kbd>
          </button>
        </td>
      </template></DataTable
    >
  </section>
</template>
