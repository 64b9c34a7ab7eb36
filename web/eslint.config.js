import js from "@eslint/js";
import { createTypeScriptImportResolver } from "eslint-import-resolver-typescript";
import imports from "eslint-plugin-import-x";
import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

const layer = (files, regex, message) => ({
  files: [files],
  rules: { "no-restricted-imports": ["error", { patterns: [{ regex, message }] }] },
});

export default ts.config(
  { ignores: ["dist", "src/api/schema.gen.ts"] },
  js.configs.recommended,
  ...ts.configs.recommendedTypeChecked,
  a11y.flatConfigs.recommended,
  {
    languageOptions: { parserOptions: { projectService: { allowDefaultProject: ["eslint.config.js"] } } },
    plugins: { "react-hooks": hooks, "import-x": imports },
    settings: {
      "import-x/resolver-next": [createTypeScriptImportResolver()],
      // Without these no file of ours is parsed, and no circle is ever found.
      "import-x/extensions": [".ts", ".tsx"],
      "import-x/parsers": { "@typescript-eslint/parser": [".ts", ".tsx"] },
    },
    rules: {
      ...hooks.configs.recommended.rules,
      "react-hooks/exhaustive-deps": "error",
      "import-x/no-cycle": "error",
      // A part may be taken out of an object to leave the others.
      "@typescript-eslint/no-unused-vars": ["error", { ignoreRestSiblings: true }],
      "@typescript-eslint/no-non-null-assertion": "error",
      "max-lines-per-function": ["error", { max: 150, skipBlankLines: true, skipComments: true }],
    },
  },
  // One way: places, circulation, shell, ui; the api stands beside all of them. 
  layer("src/ui/**", "^\\.\\./", "Parts in ui know nothing of libraries."),
  layer("src/shell/**", "/(circulation|places)/", "The shell knows neither circulation nor a place."),
  layer("src/circulation/**", "/places/", "Circulation knows no place."),
  layer("src/places/**", "^\\.\\./(?!\\.\\.)[a-z]+/", "Of another place only its index.ts is imported."),
  layer("src/api/**", "^\\.\\./", "The api knows nothing else."),
  { files: ["src/**/*.test.*"], rules: { "@typescript-eslint/no-non-null-assertion": "off", "max-lines-per-function": "off" } },
  { files: ["*.js", "*.ts"], ...ts.configs.disableTypeChecked },
);
