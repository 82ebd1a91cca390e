import js from "@eslint/js";
import globals from "globals";

export default [
  js.configs.recommended,
  {
    languageOptions: {
      ecmaVersion: 2023,
      sourceType: "module",
      globals: { ...globals.browser, Alpine: "readonly", htmx: "readonly" },
    },
    rules: {
      eqeqeq: ["error", "always", { null: "ignore" }],
      "prefer-const": "error",
      "no-var": "error",
      complexity: ["error", 18],
      "max-len": ["error", { code: 132, ignoreStrings: true, ignoreTemplateLiterals: true, ignoreRegExpLiterals: true }],
    },
  },
  { files: ["**/worker.js"], languageOptions: { globals: { ...globals.serviceworker, VERSION: "readonly", SHELL: "readonly" } } },
  { files: ["**/*.mjs"], languageOptions: { globals: globals.node } },
];
