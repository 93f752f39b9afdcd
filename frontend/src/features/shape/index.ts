export { keepRecipe, recipesQuery, vocabularyQuery, type Recipe } from "./queries";
