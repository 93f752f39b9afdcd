export { carriersQuery, contactsQuery, keepContact, packagingQuery, placesQuery } from "./queries";
