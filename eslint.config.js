// Rules for the scripts in the browser; `./pulley lint` runs them.

import js from "@eslint/js";
import globals from "globals";

export default [
  js.configs.recommended,
  {
    files: ["src/pulley/web/static/pulley/**/*.js"],
    languageOptions: { ecmaVersion: 2023, sourceType: "module", globals: globals.browser },
    linterOptions: { reportUnusedDisableDirectives: "error" },
    rules: {
      eqeqeq: "error",
      "no-implicit-globals": "error",
      "no-restricted-syntax": [
        "error",
        { selector: "MemberExpression[property.name=/^_/]", message: "Another object's private members are not ours." },
      ],
      "no-shadow": "error",
      "no-unused-vars": ["error", { args: "after-used" }],
      "no-var": "error",
      "object-shorthand": "error",
      "prefer-const": ["error", { destructuring: "all" }],
    },
  },
];
