export { carriersQuery, packagingQuery, placesQuery } from "./queries";
