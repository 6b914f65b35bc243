import reactHooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["**/*.gen.ts"] },
  ...tseslint.configs.strict,
  { plugins: { "react-hooks": reactHooks }, rules: { "react-hooks/rules-of-hooks": "error", "react-hooks/exhaustive-deps": "error" } },
  {
    rules: {
      "no-restricted-globals": ["error", { name: "fetch", message: "only api/client.ts fetches" }],
      "@typescript-eslint/no-invalid-void-type": "off",
    },
  },
  { files: ["src/api/client.ts"], rules: { "no-restricted-globals": "off" } },
);
