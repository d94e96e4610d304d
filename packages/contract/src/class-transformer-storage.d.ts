declare module 'class-transformer/cjs/storage' {
  /** Where class-transformer keeps what @Type said; not among its own declarations. */
  export const defaultMetadataStorage: object;
}
