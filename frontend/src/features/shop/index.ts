export { carriersQuery, keepContact, packagingQuery, placesQuery } from "./queries";
