export { default as CheckField } from "./CheckField.vue";
export { default as CountryField } from "./CountryField.vue";
export { default as DateField } from "./DateField.vue";
export { default as ErrorNote } from "./ErrorNote.vue";
export { default as FormDialog } from "./FormDialog.vue";
export { default as NoticeLine } from "./NoticeLine.vue";
export { default as SelectField } from "./SelectField.vue";
export { named } from "./items";
