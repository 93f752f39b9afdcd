import { ref } from "vue";

/** What the shop, or for now the person, reads weights and lengths in. Everything is kept in grams and millimetres. */
export const units = ref<"metric" | "imperial">("metric");

const GRAMS_PER_POUND = 453.59237,
  MM_PER_INCH = 25.4;

export function weightToGrams(figure: number): number {
  return Math.round(figure * (units.value === "imperial" ? GRAMS_PER_POUND : 1000));
}
export function lengthToMm(figure: number): number {
  return Math.round(figure * (units.value === "imperial" ? MM_PER_INCH : 10));
}
export function gramsToWeight(grams: number): string {
  return String(
    Math.round((grams / (units.value === "imperial" ? GRAMS_PER_POUND : 1000)) * 1000) / 1000,
  );
}
export function mmToLength(mm: number): string {
  return String(Math.round((mm / (units.value === "imperial" ? MM_PER_INCH : 10)) * 100) / 100);
}
