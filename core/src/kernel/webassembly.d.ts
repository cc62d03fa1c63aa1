/** The little of WebAssembly's interface that the core uses; the core is compiled without the DOM library. */
declare namespace WebAssembly {
  type Imports = Record<string, Record<string, unknown>>;
  interface Module {
    readonly kind?: 'module';
  }
  interface Instance {
    readonly exports: Record<string, unknown>;
  }
  class Exception {
    constructor();
  }
  function compile(bytes: Uint8Array): Promise<Module>;
  function instantiate(module: Module, imports: Imports): Promise<Instance>;
}
