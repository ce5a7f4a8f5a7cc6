/** A step of a plan as the target takes it; the same shape as the runtime's `PatchStep`, which this layer does not import. */
export type Step =
  | { kind: 'declare'; file: string; name: string; code: string; exported: boolean }
  | { kind: 'function'; file: string; id: number; code: string; owner?: { path: string; isStatic: boolean } }
  | { kind: 'member'; file: string; path: string; isStatic: boolean; key: string; member: 'method' | 'getter' | 'setter'; code: string }
  | { kind: 'assign'; file: string; name: string; code: string };
