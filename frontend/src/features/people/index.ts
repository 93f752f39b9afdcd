export { peopleQuery } from "./queries";
