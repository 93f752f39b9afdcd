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

/** What one piece of goods weighs is typed in grams, or in ounces; its sides in centimetres, or in inches. */
export const pieceUnit = () => (units.value === "imperial" ? "oz" : "g");
export const weightUnit = () => (units.value === "imperial" ? "lb" : "kg");
export const sideUnit = () => (units.value === "imperial" ? "in" : "cm");
export function pieceToGrams(figure: number): number {
  return Math.round(units.value === "imperial" ? (figure * GRAMS_PER_POUND) / 16 : figure);
}
export function gramsToPiece(grams: number): string {
  return units.value === "imperial"
    ? String(Math.round((grams * 1600) / GRAMS_PER_POUND) / 100)
    : String(grams);
}
