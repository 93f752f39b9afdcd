<script setup lang="ts">
/** The shop's own facts, page by page: a side list of them, and the page beside it. */
const PAGES = [
  { name: "Shop", to: "/set-up/shop" },
  { name: "Channels", to: "/set-up/channels" },
  { name: "Carriers", to: "/set-up/carriers" },
  { name: "Products", to: "/set-up/products" },
  { name: "Packaging", to: "/set-up/packaging" },
  { name: "Places", to: "/set-up/places" },
  { name: "Address book", to: "/set-up/contacts" },
  { name: "Screening", to: "/set-up/restricted" },
  { name: "Customs", to: "/set-up/customs" },
  { name: "Printing", to: "/set-up/printing" },
  { name: "Bench", to: "/set-up/bench" },
  { name: "People, keys", to: "/set-up/people" },
];
</script>

<template>
  <div class="set-up">
    <nav aria-label="Set-up">
      <RouterLink v-for="page in PAGES" :key="page.to" :to="page.to">{{ page.name }}</RouterLink>
    </nav>
    <div class="beside"><RouterView /></div>
  </div>
</template>

<style scoped>
.set-up {
  display: grid;
  grid-template-columns: 122px minmax(0, 1fr);
  height: 100%;
}
nav {
  border-right: 1px solid var(--line);
  padding: 12px 0;
  overflow-y: auto;
}
nav a {
  display: block;
  padding: 4px 14px;
  min-height: 28px;
  color: var(--ink);
  text-decoration: none;
  border-left: 3px solid transparent;
}
nav a.router-link-active {
  border-color: var(--mul);
  font-weight: 650;
  color: var(--mul);
  background: var(--mul-soft);
}
.beside {
  overflow: hidden;
  position: relative;
  min-width: 0;
}
@media (max-width: 1100px) {
  .set-up {
    grid-template-columns: 104px minmax(0, 1fr);
  }
  nav a {
    padding: 4px 8px;
  }
}
</style>
