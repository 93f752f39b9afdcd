export { keepRecipe, recipesQuery, vocabularyQuery, type Recipe, linkPromise } from "./queries";
