/** Memory of a kernel: handed out in order, given back all at once. */

let top: usize = __heap_base;

/** Gives all memory back. */
export function reset(): void {
  top = __heap_base;
}

/** A place for so many bytes, aligned to 16. */
export function alloc(bytes: usize): usize {
  const at = (top + 15) & ~(<usize>15);
  top = at + bytes;
  const pages = <i32>((top + 0xffff) >>> 16);
  if (pages > memory.size() && memory.grow(pages - memory.size()) < 0) unreachable();
  return at;
}
