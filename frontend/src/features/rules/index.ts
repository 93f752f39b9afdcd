export { recipesQuery, vocabularyQuery } from "./queries";
