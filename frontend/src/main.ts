import { VueQueryPlugin } from "@tanstack/vue-query";
import { createPinia } from "pinia";
import { createApp } from "vue";
import App from "./app/App.vue";
import { queryClient } from "./app/queries";
import { makeRouter } from "./app/router";
import { vuetify } from "./app/theme";
import { vFirst } from "./shared/first";
import "./shared/look.css";

createApp(App)
  .use(createPinia())
  .use(VueQueryPlugin, { queryClient })
  .use(vuetify)
  .use(makeRouter(queryClient))
  .directive("first", vFirst)
  .mount("#app");
