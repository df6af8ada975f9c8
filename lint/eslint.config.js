import js from "@eslint/js";
import globals from "globals";

// Scripts of pages are modules that run in a browser, beside htmx.
export default [
  js.configs.recommended,
  {
    files: ["**/*.js"],
    languageOptions: { globals: { ...globals.browser, htmx: "readonly", Idiomorph: "readonly" } },
    rules: {
      eqeqeq: "error",
      "no-var": "error",
      "prefer-const": "error",
      "no-eval": "error",
      "no-implied-eval": "error",
      "no-new-func": "error",
    },
  },
];
