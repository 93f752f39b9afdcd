export { packagingQuery, placesQuery } from "./queries";
