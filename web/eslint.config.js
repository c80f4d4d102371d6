import js from "@eslint/js";
import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.d.ts"] },
  js.configs.recommended,
  ...tseslint.configs.strict,
  ...tseslint.configs.recommendedTypeCheckedOnly,
  { languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } } },
  { files: ["**/*.js"], ...tseslint.configs.disableTypeChecked },
  hooks.configs.flat.recommended,
  a11y.flatConfigs.recommended,
  {
    files: ["src/**/*.{ts,tsx}"],
    rules: {
      // Numbers are put into words everywhere here.
      "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }],
      // A field that opens where somebody pressed is where they go on.
      "jsx-a11y/no-autofocus": "off",
      "jsx-a11y/label-has-associated-control": ["error", { controlComponents: ["Tick"] }],
      // What scrolls, what explains itself and what the arrow keys move is reached by Tab.
      "jsx-a11y/no-noninteractive-tabindex": ["error", { tags: ["ul", "span"], roles: ["img"] }],
    },
  },
);
