/** Instances of the WebAssembly kernels, which live in kernels/ and are compiled to base64 when the program is built. */

interface Instance {
  readonly exports: Record<string, unknown>;
}
interface Api {
  Module: new (bytes: Uint8Array) => object;
  Instance: new (module: object, imports?: object) => Instance;
}
const scope = globalThis as unknown as { WebAssembly: Api; atob(text: string): string };
const modules = new Map<string, object>();

/** A new instance with memory of its own; compiled once. */
export function instantiate(base64: string): Record<string, unknown> {
  let module = modules.get(base64);
  if (!module) {
    module = new scope.WebAssembly.Module(Uint8Array.from(scope.atob(base64), (c) => c.charCodeAt(0)));
    modules.set(base64, module);
  }
  const env = {
    abort: () => {
      throw new Error('a kernel stopped');
    },
  };
  return new scope.WebAssembly.Instance(module, { env }).exports;
}
