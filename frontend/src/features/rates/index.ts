export { default as CompareServices } from "./CompareServices.vue";
export { compareQuery } from "./queries";
