import prettier from "eslint-config-prettier";
import vue from "eslint-plugin-vue";
import accessible from "eslint-plugin-vuejs-accessibility";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["src/api/generated/schema.ts", "dist"] },
  ...ts.configs.recommended,
  ...vue.configs["flat/recommended"],
  ...accessible.configs["flat/recommended"],
  {
    files: ["**/*.vue"],
    languageOptions: { parserOptions: { parser: ts.parser } },
  },
  prettier,
  {
    rules: {
      "vue/multi-word-component-names": "off", // pages and the frame have plain names
      "vue/no-v-html": "error",
      "vue/no-undef-components": ["error", { ignorePatterns: ["^v-", "^Router"] }],
      "no-undef": "off", // TypeScript knows
      eqeqeq: "error",
      // A label around its control, or one that names it, is enough: both at once is asked for nowhere.
      "vuejs-accessibility/label-has-for": ["error", { required: { some: ["nesting", "id"] } }],
      // Dialogs put the focus where the person begins; nothing else does.
      "vuejs-accessibility/no-autofocus": "off",
    },
  },
);
