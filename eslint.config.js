// What ESLint holds the scripts of the pages to.
import js from "@eslint/js";
import globals from "globals";

export default [
  js.configs.recommended,
  {
    languageOptions: { globals: { ...globals.browser, OpenSeadragon: "readonly" } },
    rules: { eqeqeq: "error", "no-shadow": "error", "no-var": "error", "prefer-const": "error" },
  },
];
