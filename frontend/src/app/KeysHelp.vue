<script setup lang="ts">
const open = defineModel<boolean>({ required: true });
const KEYS = [
  ["↑ ↓", "Go through the orders"],
  ["Space", "Select the order"],
  ["Shift ↑ ↓", "Select a range"],
  ["Enter", "Open the order"],
  ["s", "Fix the first snag"],
  ["w", "Why this plan"],
  ["c", "Compare services"],
  ["e", "Change the address"],
  ["b", "Buy what is selected, or this order"],
  ["g", "Put into a batch"],
  ["1 – 9", "Use one of the first nine recipes"],
  ["m", "Compare what is selected"],
  ["p", "Print labels"],
  ["h", "Hold, or take back"],
  ["/", "Search in the list"],
  ["a, Ctrl A", "Select every order asked for"],
  ["Esc", "Close, then unselect"],
  ["Ctrl K", "Search and commands"],
  ["?", "These keys"],
] as const;
</script>

<template>
  <v-dialog v-model="open" max-width="460" aria-label="Keys">
    <v-card>
      <div class="dialog-head">Keys</div>
      <div class="dialog-body">
        <dl>
          <template v-for="[key, what] in KEYS" :key="key"
            ><dt>
              <span class="key">{{ key }}</span>
            </dt>
            <dd>{{ what }}</dd></template
          >
        </dl>
      </div>
      <div class="dialog-actions"><v-btn variant="text" @click="open = false">Close</v-btn></div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 90px 1fr;
  gap: 6px 12px;
  margin: 0;
}
dd {
  margin: 0;
}
</style>
