export { todayQuery } from "./queries";
