export { ordersQuery, orderQuery, type OrderRow, type Sheet } from "./queries";
export { default as BuyDialog } from "./BuyDialog.vue";
