export { default as ChangeDecision } from "./fix/ChangeDecision.vue";
export { ordersQuery, orderQuery, type OrderRow, type Sheet } from "./queries";
