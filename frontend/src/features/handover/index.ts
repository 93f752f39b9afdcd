export { default as HandOverWays } from "./HandOverWays.vue";
export { todayQuery, waysQuery } from "./queries";
