declare module 'lz4js' {
  /** Inflates one raw block. @returns bytes written, negative when damaged */
  export function decompressBlock(
    source: Uint8Array,
    target: Uint8Array,
    sourceIndex: number,
    sourceLength: number,
    targetIndex: number,
  ): number
  /** @returns bytes written, 0 when the block would not shrink */
  export function compressBlock(
    source: Uint8Array,
    target: Uint8Array,
    sourceIndex: number,
    sourceLength: number,
    hashTable: Uint32Array,
  ): number
}
