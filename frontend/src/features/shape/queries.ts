import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas } from "../../api/client";

export const recipesQuery = queryOptions({
  queryKey: ["recipes"],
  queryFn: async () => need(await api.GET("/api/recipes")),
});
export const vocabularyQuery = queryOptions({
  queryKey: ["vocabulary"],
  queryFn: async () => need(await api.GET("/api/rules/vocabulary")),
});
export const layersQuery = queryOptions({
  queryKey: ["layers"],
  queryFn: async () => need(await api.GET("/api/layers")),
});
export const rulesQuery = queryOptions({
  queryKey: ["rules"],
  queryFn: async () => need(await api.GET("/api/rules")),
});
export const versionsQuery = queryOptions({
  queryKey: ["rules", "versions"],
  queryFn: async () => need(await api.GET("/api/rules/versions")),
});

export type Recipe = Schemas["RecipeOut"];

/** Keep how an order goes as a recipe under a name. */
export const keepRecipe = async (orderId: number, name: string): Promise<Recipe> =>
  need(await api.POST("/api/recipes/from-order", { body: { order_id: orderId, name } }));
