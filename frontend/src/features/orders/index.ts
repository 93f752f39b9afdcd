export { ordersQuery, orderQuery, type OrderRow, type Sheet } from "./queries";
