declare module 'class-transformer/cjs/storage' {
  type Class = new () => object;
  /** Where class-transformer keeps what @Type was given; not among its own declarations. */
  export const defaultMetadataStorage: {
    findTypeMetadata(
      target: Class,
      member: string,
    ):
      | {
          typeFunction(): Class;
          options: { discriminator?: { property: string; subTypes: readonly { value: Class; name: string }[] } };
        }
      | undefined;
  };
}
