export {
  carriersQuery,
  contactsQuery,
  keepContact,
  packagingQuery,
  placesQuery,
  fetchChannels,
  pullNow,
} from "./queries";
export { templateQuery } from "./queries";
