import { queryOptions } from "@tanstack/vue-query";
import { api, need, type Schemas, type QueryOf } from "../../api/client";

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

export const rehearseDefaults = async (
  query: QueryOf<"/api/layers/shop-defaults/rehearse", "post">,
  body: Schemas["ShopDefaultsIO"],
) => need(await api.POST("/api/layers/shop-defaults/rehearse", { params: { query }, body }));

export const saveDefaults = async (body: Schemas["ShopDefaultsIO"]) =>
  need(await api.PUT("/api/layers/shop-defaults", { body }));

export const linkPromise = async (body: Schemas["PromiseIn"]) =>
  need(await api.PUT("/api/promises", { body }));

export const forgetPrecedent = async (precedentId: number) =>
  await api.DELETE("/api/precedents/{precedent_id}", {
    params: { path: { precedent_id: precedentId } },
  });

export const saveRecipe = async (body: Schemas["RecipeIn"]) =>
  need(await api.POST("/api/recipes", { body }));

export const orderRecipes = async (body: Schemas["RecipeOrderIn"]) =>
  need(await api.POST("/api/recipes/order", { body }));

export const removeRecipe = async (code: string) =>
  await api.DELETE("/api/recipes/{code}", { params: { path: { code } } });

export const rehearseRules = async (
  query: QueryOf<"/api/rules/rehearse", "post">,
  body: Schemas["RulesDraft"],
) => need(await api.POST("/api/rules/rehearse", { params: { query }, body }));

export const saveRules = async (body: Schemas["RulesIn"]) =>
  need(await api.PUT("/api/rules", { body }));

export const restoreRules = async (version: number) =>
  need(await api.POST("/api/rules/versions/{version}/restore", { params: { path: { version } } }));
