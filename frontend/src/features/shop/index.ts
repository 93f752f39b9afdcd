export {
  carriersQuery,
  contactsQuery,
  keepContact,
  packagingQuery,
  placesQuery,
  fetchChannels,
  pullNow,
  savePlace,
} from "./queries";
export { templateQuery } from "./queries";
