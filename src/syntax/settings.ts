/** What a project says about how its TypeScript and JSX become what runs. */
export interface ProjectSettings {
  /**
   * What files with `import` and `export` become: `commonjs` scripts, ES modules
   * (`esm`), or what the nearest `package.json` says (`node`).
   */
  module: 'commonjs' | 'esm' | 'node';
  /** In scripts: what an import gives of a script that was no ES module. */
  esModuleInterop: boolean;
  /** Decorators as TypeScript had them first, and the types of what they decorate at hand while the program runs. */
  experimentalDecorators: boolean;
  emitDecoratorMetadata: boolean;
  /** False: fields are assigned in the constructor, and those without a value are nothing. */
  useDefineForClassFields: boolean;
  /** Imports stay as written, but for those that say `type`. */
  verbatimModuleSyntax: boolean;
  jsx: 'classic' | 'automatic' | 'development';
  jsxFactory: string;
  jsxFragmentFactory: string;
  jsxImportSource: string;
  /** From a file of settings. */
  readonly from: string;
}
