import prettier from "eslint-config-prettier";
import vue from "eslint-plugin-vue";
import ts from "typescript-eslint";

// A getter that makes an array tells of a change whenever anything it reads is set, even to what it was.
const arrays = ["ArrayExpression.body", "TSAsExpression.body > ArrayExpression"].map((made) => ({
  selector: `CallExpression[callee.name='watch'] > ArrowFunctionExpression:first-child > ${made}`,
  message: "Watch an array of getters, not a getter of an array.",
}));

export default ts.config(
  { ignores: ["src/api/schema.d.ts"] },
  ...ts.configs.recommended,
  ...vue.configs["flat/recommended"],
  {
    files: ["src/**/*.vue"],
    languageOptions: { parserOptions: { parser: ts.parser } },
    rules: { "vue/multi-word-component-names": "off", "no-undef": "off" },
  },
  { rules: { "no-restricted-syntax": ["error", ...arrays] } },
  prettier,
);
