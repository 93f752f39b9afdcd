import { QueryClient, VueQueryPlugin } from "@tanstack/vue-query";
import { createPinia } from "pinia";
import { createApp } from "vue";
import { ProblemError } from "./api/client";
import App from "./app/App.vue";
import { makeRouter } from "./app/router";
import { vuetify } from "./app/theme";
import "./shared/look.css";

const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      refetchOnWindowFocus: false,
      retry: (times, error) => !(error instanceof ProblemError && error.status < 500) && times < 2,
    },
  },
});

createApp(App)
  .use(createPinia())
  .use(VueQueryPlugin, { queryClient })
  .use(vuetify)
  .use(makeRouter(queryClient))
  .mount("#app");
