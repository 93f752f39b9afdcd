import type { QueryClient } from "@tanstack/vue-query";
import { createRouter, createWebHistory, type Router } from "vue-router";
import { meQuery } from "../shared/session";

/** The pages; those with `open` need no sign-in. */
export function makeRouter(client: QueryClient): Router {
  const router = createRouter({
    history: createWebHistory(),
    routes: [
      { path: "/", redirect: "/today" },
      {
        path: "/sign-in",
        component: () => import("../features/people/SignInPage.vue"),
        meta: { open: true, title: "Sign in" },
      },
      {
        path: "/door/:key",
        component: () => import("../features/people/DoorPage.vue"),
        meta: { open: true, title: "Set a password" },
      },
      {
        path: "/today",
        component: () => import("../features/handover/TodayPage.vue"),
        meta: { title: "Today" },
      },
      {
        path: "/departures",
        component: () => import("../features/handover/DeparturesPage.vue"),
        meta: { title: "Departures" },
      },
      {
        path: "/bench",
        component: () => import("../features/bench/BenchPage.vue"),
        meta: { title: "Bench", bare: true },
      },
      {
        path: "/orders/:id(\\d+)?",
        component: () => import("../features/orders/list/OrdersPage.vue"),
        meta: { title: "Orders" },
      },
      {
        path: "/orders/new",
        component: () => import("../features/orders/new/NewShipmentPage.vue"),
        meta: { title: "New shipment" },
      },
      {
        path: "/orders/compare",
        component: () => import("../features/rates/MatrixPage.vue"),
        meta: { title: "Compare" },
      },
      {
        path: "/quote",
        component: () => import("../features/rates/QuotePage.vue"),
        meta: { title: "Quote" },
      },
      {
        path: "/rules",
        component: () => import("../features/shape/RulesPage.vue"),
        meta: { title: "Rules" },
      },
      {
        path: "/recipes",
        component: () => import("../features/shape/RecipesPage.vue"),
        meta: { title: "Recipes" },
      },
      {
        path: "/checkout",
        component: () => import("../features/shape/checkout/CheckoutPage.vue"),
        meta: { title: "Checkout" },
      },
      {
        path: "/import/:id(\\d+)?",
        component: () => import("../features/orders/imports/ImportPage.vue"),
        meta: { title: "Import" },
      },
      {
        path: "/ask/:key",
        component: () => import("../features/follow/requests/AskPage.vue"),
        meta: { open: true, title: "Ask for a label" },
      },
      {
        path: "/asked/:key",
        component: () => import("../features/follow/requests/AskedPage.vue"),
        meta: { open: true, title: "Your request" },
      },
      {
        path: "/batches/:id(\\d+)?",
        component: () => import("../features/buying/BatchesPage.vue"),
        meta: { title: "Batches" },
      },
      {
        path: "/tracking",
        component: () => import("../features/follow/following/FollowingPage.vue"),
        meta: { title: "Tracking" },
      },
      {
        path: "/messages",
        component: () => import("../features/follow/messages/MessagesPage.vue"),
        meta: { title: "Messages" },
      },
      {
        path: "/returns",
        component: () => import("../features/follow/returns/ReturnsPage.vue"),
        meta: { title: "Returns" },
      },
      {
        path: "/requests",
        component: () => import("../features/follow/requests/RequestsPage.vue"),
        meta: { title: "Requests" },
      },
      {
        path: "/money",
        component: () => import("../features/books/MoneyPage.vue"),
        meta: { title: "Money" },
      },
      {
        path: "/set-up",
        component: () => import("./SetUp.vue"),
        redirect: "/set-up/channels",
        children: [
          {
            path: "shop",
            component: () => import("../features/shop/own/ShopPage.vue"),
            meta: { title: "Shop" },
          },
          {
            path: "channels",
            component: () => import("../features/shop/channels/ChannelsPage.vue"),
            meta: { title: "Channels" },
          },
          {
            path: "carriers",
            component: () => import("../features/shop/carriers/CarriersPage.vue"),
            meta: { title: "Carriers" },
          },
          {
            path: "products",
            component: () => import("../features/shop/products/ProductsPage.vue"),
            meta: { title: "Products" },
          },
          {
            path: "packaging",
            component: () => import("../features/shop/packaging/PackagingPage.vue"),
            meta: { title: "Packaging" },
          },
          {
            path: "places",
            component: () => import("../features/shop/places/PlacesPage.vue"),
            meta: { title: "Places" },
          },
          {
            path: "contacts",
            component: () => import("../features/shop/contacts/ContactsPage.vue"),
            meta: { title: "Address book" },
          },
          {
            path: "restricted",
            component: () => import("../features/shop/screening/ScreeningPage.vue"),
            meta: { title: "Screening" },
          },
          {
            path: "customs",
            component: () => import("../features/customs/CustomsPage.vue"),
            meta: { title: "Customs" },
          },
          {
            path: "bench",
            component: () => import("../features/bench/BenchSetup.vue"),
            meta: { title: "Bench" },
          },
          {
            path: "printing",
            component: () => import("../features/papers/PrintingPage.vue"),
            meta: { title: "Printing" },
          },
          {
            path: "people",
            component: () => import("../features/people/PeoplePage.vue"),
            meta: { title: "People and keys" },
          },
        ],
      },
      // Where these pages stood before; a link somebody kept still arrives.
      { path: "/products", redirect: (to) => ({ path: "/set-up/products", query: to.query }) },
      { path: "/contacts", redirect: (to) => ({ path: "/set-up/contacts", query: to.query }) },
      {
        path: "/:rest(.*)*",
        component: () => import("./NothingHere.vue"),
        meta: { title: "Nothing here" },
      },
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
