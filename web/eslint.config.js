import reactHooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.ts"] },
  ...tseslint.configs.strict,
  { plugins: { "react-hooks": reactHooks }, rules: { "react-hooks/rules-of-hooks": "error", "react-hooks/exhaustive-deps": "error" } },
  { rules: { "@typescript-eslint/no-non-null-assertion": "off", "@typescript-eslint/consistent-type-imports": "error", eqeqeq: "error" } },
  { rules: { "max-len": ["error", { code: 120, ignoreStrings: true, ignoreTemplateLiterals: true, ignorePattern: "className=|^test\\(" }] } },
  { files: ["src/scene/**"], rules: { "no-restricted-imports": ["error", { patterns: ["react", "react-dom", "../panels/*", "../ui/*"] }] } },
  { files: ["src/panels/**", "src/ui/**"], rules: { "no-restricted-imports": ["error", { patterns: ["three", "three/*"] }] } },
);
