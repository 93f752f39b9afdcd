export { default as BorderEstimate } from "./BorderEstimate.vue";
export { default as CustomsPanel } from "./CustomsPanel.vue";
export { default as ProductCustoms } from "./ProductCustoms.vue";
export { customsQuery, setCustoms, type CustomsSaid } from "./queries";
