<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, onBeforeUnmount, onMounted, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { useTheme } from "vuetify";
import { api, need } from "../api/client";
import { todayQuery } from "../features/handover";
import { clock, day, localDay, number } from "../shared/format";
import { useKeys } from "../shared/keyboard";
import { watchNews } from "../shared/news";
import { useScans } from "../shared/scanner";
import { now, useMe } from "../shared/session";
import CommandLine from "./CommandLine.vue";
import KeysHelp from "./KeysHelp.vue";
import Ribbon from "./Ribbon.vue";

const { me, zone, may } = useMe();
const client = useQueryClient();
const route = useRoute();
const router = useRouter();
const theme = useTheme();
const { data: today } = useQuery(todayQuery);
/** How far the demo's clock stands ahead of the real one, in words; nothing in a shop that goes by the real one. */
const ahead = computed(() => {
  const hours = Math.round((now.value.getTime() - Date.now()) / 3_600_000);
  if (!me.value?.standins_url || hours < 1) return "";
  return hours < 48
    ? `simulated, ${hours} h ahead`
    : `simulated, ${Math.round(hours / 24)} days ahead`;
});
interface Entry {
  name: string;
  to: string;
  count?: number | undefined;
  /** An entry with pages of its own is marked on all of them. */
  within?: string;
}
/** The pages in the order of the work; counts say what waits there. */
const rail = computed<{ name: string; entries: Entry[] }[]>(() => {
  const ships = may("shipper");
  const parts: { name: string; entries: (Entry | false)[] }[] = [
    {
      name: "Plan",
      entries: [
        { name: "Today", to: "/today" },
        { name: "Orders", to: "/orders", count: today.value?.open_orders },
        { name: "Quote", to: "/quote" },
      ],
    },
    {
      name: "Pack",
      entries: [
        { name: "Batches", to: "/batches" },
        may("shipper", "packer") && { name: "Bench", to: "/bench" },
      ],
    },
    { name: "Send", entries: [{ name: "Departures", to: "/departures" }] },
    {
      name: "Follow",
      entries: [
        { name: "Tracking", to: "/tracking" },
        { name: "Messages", to: "/messages", count: today.value?.messages_held },
        {
          name: "Returns",
          to: "/returns",
          count:
            (today.value?.returns_back ?? 0) + (today.value?.returns_not_made ?? 0) || undefined,
        },
        ships && { name: "Requests", to: "/requests", count: today.value?.requests_waiting },
      ],
    },
    {
      name: "Shape",
      entries: [
        { name: "Rules", to: "/rules" },
        { name: "Recipes", to: "/recipes" },
        { name: "Checkout", to: "/checkout" },
      ],
    },
    { name: "Books", entries: [ships && { name: "Money", to: "/money" }] },
    { name: "Shop", entries: [{ name: "Set-up", to: "/set-up", within: "/set-up" }] },
  ];
  return parts
    .map((part) => ({ ...part, entries: part.entries.filter((e): e is Entry => Boolean(e)) }))
    .filter((part) => part.entries.length);
});
const commandOpen = ref(false);
const helpOpen = ref(false);

let stopNews: (() => void) | undefined;
onMounted(() => {
  stopNews = watchNews(client);
  window.addEventListener("keydown", commandKey);
});
onBeforeUnmount(() => {
  stopNews?.();
  window.removeEventListener("keydown", commandKey);
});

function commandKey(event: KeyboardEvent): void {
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
    event.preventDefault();
    commandOpen.value = true;
  }
}
/** What no page takes is an order's number or a tracking number: open it. */
useScans((code) => {
  void (async () => {
    const found = need(await api.GET("/api/find", { params: { query: { text: code } } }));
    if (found[0]) await router.push({ path: `/orders/${found[0].id}`, query: { view: "all" } });
  })();
  return true;
});
useKeys({ "?": () => (helpOpen.value = true) });

function switchTheme(): void {
  const next = theme.global.name.value === "dark" ? "light" : "dark";
  theme.change(next);
  localStorage.setItem("tidewind.theme", next);
}

async function signOut(): Promise<void> {
  await api.POST("/api/sign-out");
  client.clear();
  await router.push("/sign-in");
}
</script>

<template>
  <div class="frame">
    <nav class="rail" aria-label="Pages">
      <div class="brand">Tidewind</div>
      <template v-for="part in rail" :key="part.name">
        <p>{{ part.name }}</p>
        <RouterLink
          v-for="entry in part.entries"
          :key="entry.to"
          :to="entry.to"
          :class="{ 'router-link-active': entry.within && route.path.startsWith(entry.within) }"
          >{{ entry.name }} <b v-if="entry.count">{{ number(entry.count) }}</b></RouterLink
        >
      </template>
      <span class="grow" />
      <button class="rail-button" type="button" @click="switchTheme">
        {{ theme.global.name.value === "dark" ? "Light" : "Dark" }}<span class="wide"> theme</span>
      </button>
      <button class="rail-button" type="button" @click="helpOpen = true">
        Keys <span class="key">?</span>
      </button>
      <button class="rail-button" type="button" @click="signOut">Sign out</button>
    </nav>
    <header class="top">
      <Ribbon :departures="today?.departures ?? []" :zone="zone" />
      <div class="who">
        <button
          class="key"
          type="button"
          aria-label="Search and commands, Ctrl+K"
          @click="commandOpen = true"
        >
          Ctrl K
        </button>
        <span class="mute"
          >{{ day(localDay(now, zone)) }} · <b class="ink">{{ clock(now, zone) }}</b><template
            v-if="ahead"
          >
            · <span class="press">{{ ahead }}</span></template
          ></span
        >
        <RouterLink class="name" to="/set-up/people">{{ me?.name }}</RouterLink>
      </div>
    </header>
    <main class="content"><RouterView /></main>
    <CommandLine v-model="commandOpen" />
    <KeysHelp v-model="helpOpen" />
  </div>
</template>

<style scoped>
.name {
  color: var(--ink);
  text-decoration: none;
}
.name:hover {
  text-decoration: underline;
}
.frame {
  display: grid;
  grid-template: 60px minmax(0, 1fr) / 128px minmax(0, 1fr);
  height: 100vh;
}
.rail {
  grid-row: 1 / 3;
  border-right: 1px solid var(--line);
  padding: 14px 0 12px;
  display: flex;
  flex-direction: column;
  overflow-y: auto;
}
.brand {
  font-weight: 700;
  font-size: 16px;
  letter-spacing: -0.01em;
  padding: 4px 16px 10px;
}
.rail p {
  font-weight: 600;
  font-size: 10.5px;
  color: var(--mute);
  padding: 8px 16px 2px;
  margin: 0;
}
.rail a {
  padding: 3px 13px;
  min-height: 24px;
  color: var(--ink);
  text-decoration: none;
  display: flex;
  justify-content: space-between;
  border-left: 3px solid transparent;
}
.rail a b {
  font-weight: 500;
  color: var(--mute);
  font-size: 12px;
}
.rail a.router-link-active {
  border-color: var(--mul);
  font-weight: 650;
  background: var(--mul-soft);
  color: var(--mul);
}
.rail-button {
  background: none;
  border: 0;
  font: inherit;
  font-size: 12.5px;
  color: var(--mute);
  text-align: left;
  padding: 4px 16px;
  cursor: pointer;
}
.top {
  border-bottom: 1px solid var(--line);
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  background: var(--sheet);
}
.who {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 0 18px 0 12px;
  font-size: 12.5px;
  white-space: nowrap;
}
.ink {
  color: var(--ink);
}
.content {
  overflow: hidden;
  position: relative;
}
@media (max-width: 1100px) {
  .frame {
    grid-template-columns: 88px minmax(0, 1fr);
  }
  .rail a {
    padding: 4px 9px;
  }
  .rail p,
  .rail-button,
  .brand {
    padding-left: 12px;
    padding-right: 6px;
  }
  .name,
  .wide {
    display: none;
  }
}
</style>
