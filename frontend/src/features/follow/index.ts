export { default as OrderStory } from "./story/OrderStory.vue";
