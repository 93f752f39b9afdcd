import vue from "eslint-plugin-vue";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["src/api/generated/schema.ts", "dist"] },
  ...ts.configs.recommended,
  ...vue.configs["flat/essential"],
  {
    files: ["**/*.vue"],
    languageOptions: { parserOptions: { parser: ts.parser } },
  },
  {
    rules: {
      "vue/multi-word-component-names": "off", // pages and the frame have plain names
      "vue/no-v-html": "error",
      "no-undef": "off", // TypeScript knows
      eqeqeq: "error",
    },
  },
);
