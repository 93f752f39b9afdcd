export { default as OrderPhotos } from "./OrderPhotos.vue";
