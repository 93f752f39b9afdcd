import type { QueryClient } from "@tanstack/vue-query";
import { createRouter, createWebHistory, type Router } from "vue-router";
import { meQuery } from "../shared/session";

/** The pages; those with `open` need no sign-in. */
export function makeRouter(client: QueryClient): Router {
  const router = createRouter({
    history: createWebHistory(),
    routes: [
      { path: "/", redirect: "/today" },
      { path: "/sign-in", component: () => import("../features/signin/SignInPage.vue"), meta: { open: true, title: "Sign in" } },
      { path: "/t/:key", component: () => import("../features/tracking/TrackingPage.vue"), meta: { open: true, title: "Your parcel" } },
      { path: "/today", component: () => import("../features/today/TodayPage.vue"), meta: { title: "Today" } },
      { path: "/orders/:id(\\d+)?", component: () => import("../features/orders/OrdersPage.vue"), meta: { title: "Orders" } },
      { path: "/orders/new", component: () => import("../features/newshipment/NewShipmentPage.vue"), meta: { title: "New shipment" } },
      { path: "/orders/compare", component: () => import("../features/rates/MatrixPage.vue"), meta: { title: "Compare" } },
      { path: "/quote", component: () => import("../features/rates/QuotePage.vue"), meta: { title: "Quote" } },
      { path: "/rules", component: () => import("../features/rules/RulesPage.vue"), meta: { title: "Rules" } },
      { path: "/recipes", component: () => import("../features/rules/RecipesPage.vue"), meta: { title: "Recipes" } },
      { path: "/products", component: () => import("../features/products/ProductsPage.vue"), meta: { title: "Products" } },
      { path: "/contacts", component: () => import("../features/contacts/ContactsPage.vue"), meta: { title: "Address book" } },
      { path: "/set-up/channels", component: () => import("../features/channels/ChannelsPage.vue"), meta: { title: "Channels" } },
      { path: "/set-up/restricted", component: () => import("../features/setup/ScreeningPage.vue"), meta: { title: "Restricted parties" } },
      { path: "/import/:id(\\d+)?", component: () => import("../features/imports/ImportPage.vue"), meta: { title: "Import" } },
      { path: "/ask/:key", component: () => import("../features/requests/AskPage.vue"), meta: { open: true, title: "Ask for a label" } },
      { path: "/asked/:key", component: () => import("../features/requests/AskedPage.vue"), meta: { open: true, title: "Your request" } },
      { path: "/batches/:id(\\d+)?", component: () => import("../features/batches/BatchesPage.vue"), meta: { title: "Batches" } },
      { path: "/returns", component: () => import("../features/returns/ReturnsPage.vue"), meta: { title: "Returns" } },
      { path: "/requests", component: () => import("../features/requests/RequestsPage.vue"), meta: { title: "Requests" } },
      { path: "/set-up/printing", component: () => import("../features/printing/PrintingPage.vue"), meta: { title: "Printing" } },
      { path: "/money", component: () => import("../features/money/MoneyPage.vue"), meta: { title: "Money" } },
      { path: "/set-up", redirect: "/set-up/places" },
      { path: "/set-up/places", component: () => import("../features/setup/PlacesPage.vue"), meta: { title: "Places" } },
      { path: "/set-up/carriers", component: () => import("../features/setup/CarriersPage.vue"), meta: { title: "Carriers" } },
      { path: "/set-up/packaging", component: () => import("../features/setup/PackagingPage.vue"), meta: { title: "Packaging" } },
      { path: "/:rest(.*)*", component: () => import("./NothingHere.vue"), meta: { title: "Nothing here" } },
    ],
  });
  router.beforeEach(async (to) => {
    if (to.meta.open) return true;
    try {
      await client.ensureQueryData(meQuery);
      return true;
    } catch {
      return { path: "/sign-in", query: { to: to.fullPath } };
    }
  });
  router.afterEach((to) => {
    document.title = `${String(to.meta.title ?? "")} · Tidewind`;
  });
  return router;
}
