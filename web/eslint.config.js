import js from "@eslint/js";
import globals from "globals";
import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

// web holds no agronomy: it draws what the API says. Formulas belong to the core.
const agronomy = ["exp", "log", "log10", "pow", "sqrt"].map((property) => ({
  object: "Math",
  property,
  message: "No agronomy in the interface: compute it in core and let the API say it.",
}));

export default ts.config(
  { ignores: ["src/api/schema.d.ts"] },
  js.configs.recommended,
  ...ts.configs.strict,
  a11y.flatConfigs.recommended,
  {
    files: ["src/**/*.{ts,tsx}"],
    languageOptions: { globals: globals.browser },
    plugins: { "react-hooks": hooks },
    rules: {
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      "no-restricted-properties": ["error", ...agronomy],
      "max-lines": ["error", 400],
    },
  },
);
