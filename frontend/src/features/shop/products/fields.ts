/** What can be said of a product, in the order of its form. */
export const NUMBERS = [
  ["weight_g", "Weight", "g", 1],
  ["length_mm", "Length", "cm", 10],
  ["width_mm", "Width", "cm", 10],
  ["height_mm", "Height", "cm", 10],
  ["value_minor", "Value", "", 100],
] as const;
export const TEXTS = [
  ["name", "Name", "w6"],
  ["material", "Material", "w3"],
  ["used_for", "Used for", "w3"],
  ["shelf", "Shelf", "w3"],
  ["barcode", "Barcode", "w3"],
] as const;
export const CUSTOMS = ["customs_text", "hs_code", "origin"] as const;
export const FLAGS = [
  ["own_box", "Needs its own box"],
  ["upright", "Keep upright"],
  ["no_weekend", "No weekend on the way"],
  ["not_stackable", "Nothing may lie on it"],
  ["serial", "Each piece has a serial number"],
] as const;
export const FLAG_NAMES: string[] = FLAGS.map(([name]) => name);

/** What can be said of several at once. */
export const MANY = [
  ["recipe", "Recipe"],
  ["tags", "Tags, with commas"],
  ["origin", "Made in, two letters"],
  ["hs_code", "HS code"],
  ["shelf", "Shelf"],
  ["customs_text", "Customs description"],
  ["own_box", "Needs its own box"],
  ["upright", "Keep upright"],
  ["no_weekend", "No weekend on the way"],
  ["not_stackable", "Nothing may lie on it"],
  ["serial", "Each piece has a serial number"],
].map(([value, title]) => ({ value, title }));
