<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { ErrorNote } from "../../../shared/ui";
import { bringLogo, removeLogo, templateQuery } from "../queries";

/** The shop's logo: it stands on packing slips, and wherever buyers see the brand. */
const client = useQueryClient();
const { data: template } = useQuery(templateQuery);
const fresh = () => client.invalidateQueries({ queryKey: ["printing"] });
const bring = useMutation({ mutationFn: bringLogo, onSuccess: fresh });
const remove = useMutation({ mutationFn: () => removeLogo(), onSuccess: fresh });
</script>

<template>
  <section v-if="template" class="panel" aria-label="Logo">
    <h2>Logo</h2>
    <ErrorNote :error="bring.error.value ?? remove.error.value" />
    <p>
      {{ template.has_logo ? "A logo stands on the packing slips." : "No logo yet." }}
      <label class="link file"
        >{{ template.has_logo ? "Another logo" : "Choose a logo"
        }}<input
          type="file"
          class="visually-hidden"
          accept="image/png,image/jpeg"
          @change="
            ($event.target as HTMLInputElement).files?.[0] &&
            bring.mutate(($event.target as HTMLInputElement).files![0]!)
          "
      /></label>
      <button v-if="template.has_logo" class="link" type="button" @click="remove.mutate()">
        Take it off
      </button>
      <span class="mute small">PNG or JPEG, 2 MB at most</span>
    </p>
  </section>
</template>

<style scoped>
.panel {
  max-width: 820px;
  margin-top: 14px;
  padding: 16px;
}
.file {
  display: inline-block;
}
</style>
