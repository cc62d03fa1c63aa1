/** The little of WebAssembly's interface that the core uses; the core is compiled without the DOM library. */
declare namespace WebAssembly {
  type Imports = Record<string, Record<string, unknown>>;
  class Module {
    constructor(bytes: Uint8Array);
    readonly kind?: 'module';
  }
  class Instance {
    constructor(module: Module);
    readonly exports: Record<string, unknown>;
  }
  interface Memory {
    readonly buffer: ArrayBuffer;
    grow(pages: number): number;
  }
  class Exception {
    constructor();
  }
  function compile(bytes: Uint8Array): Promise<Module>;
  function instantiate(module: Module, imports: Imports): Promise<Instance>;
}
