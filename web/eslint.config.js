import prettier from "eslint-config-prettier";
import vue from "eslint-plugin-vue";
import ts from "typescript-eslint";

// A getter that makes an array tells of a change whenever anything it reads is set, even to what it was.
const arrays = ["ArrayExpression.body", "TSAsExpression.body > ArrayExpression"].map((made) => ({
  selector: `CallExpression[callee.name='watch'] > ArrowFunctionExpression:first-child > ${made}`,
  message: "Watch an array of getters, not a getter of an array.",
}));

export default ts.config(
  { ignores: ["**/schema.d.ts", "**/dist", "**/eslint.config.js"] },
  ...ts.configs.recommended,
  // What a component's own script does with types is for vue-tsc, which knows its template too.
  ...ts.configs.recommendedTypeCheckedOnly.map((rules) => ({ ...rules, files: ["**/*.ts"] })),
  ...vue.configs["flat/recommended"],
  {
    files: ["**/*.ts"],
    languageOptions: { parserOptions: { project: "./tsconfig.json", tsconfigRootDir: import.meta.dirname } },
    rules: { "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_" }] },
  },
  {
    // Stand-ins are as their originals are: they give promises.
    files: ["**/*.test.ts"],
    rules: { "@typescript-eslint/require-await": "off", "@typescript-eslint/unbound-method": "off" },
  },
  {
    files: ["**/*.vue"],
    languageOptions: { parserOptions: { parser: ts.parser } },
    rules: { "vue/multi-word-component-names": "off", "no-undef": "off" },
  },
  // Only vue-tsc knows what a component is.
  { files: ["**/src/app/main.ts"], rules: { "@typescript-eslint/no-unsafe-argument": "off" } },
  {
    // What must be there is asked for by `must`, which finds out where it is missing.
    files: ["**/src/**"],
    rules: { "@typescript-eslint/no-non-null-assertion": "error" },
  },
  { rules: { "no-restricted-syntax": ["error", ...arrays] } },
  prettier,
);
