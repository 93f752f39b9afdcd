export { addressOf, markPrinted, openLabels, type Meant } from "./labels";
export { printingQuery } from "./queries";
