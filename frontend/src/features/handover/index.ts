export { default as HandOverWays } from "./HandOverWays.vue";
export { todayQuery } from "./queries";
