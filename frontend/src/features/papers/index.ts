export { addressOf, markPrinted, openLabels, type Meant } from "./labels";
