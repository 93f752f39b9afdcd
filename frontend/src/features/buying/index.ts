export { default as BuyDialog } from "./BuyDialog.vue";
export { default as BuyProgress } from "./BuyProgress.vue";
export { default as PreflightList } from "./PreflightList.vue";
export { default as PrintBar } from "./PrintBar.vue";
export { default as VoidDialog } from "./VoidDialog.vue";
export {
  batchesQuery,
  batchQuery,
  preflightQuery,
  approveOrders,
  fillBatch,
  startBatch,
} from "./queries";
