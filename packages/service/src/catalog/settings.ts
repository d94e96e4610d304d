import { noPacing, type NewKeys, type Pacing } from '@tantamos/core';

/** What an administrator lays over a type; null means: as the database has it. */
export interface TypeSettings extends Pacing {
  readonly label: string | null;
  readonly nameField: string | null;
  readonly ownerFields: readonly string[] | null;
  readonly activeField: string | null;
  readonly fieldOrder: readonly string[] | null;
  readonly openWhen: string | null;
  readonly newKeys: NewKeys | null;
  readonly refusesInactive: boolean;
  readonly hidden: boolean;
  readonly mostRecords: number | null;
  readonly typedFrom: number | null;
  readonly largestBatch: number | null;
}

export interface FieldSettings {
  readonly label: string | null;
  readonly hidden: boolean;
  readonly protected: boolean;
  readonly leftOut: boolean;
}

export const noSettings: TypeSettings = {
  label: null,
  nameField: null,
  ownerFields: null,
  activeField: null,
  fieldOrder: null,
  openWhen: null,
  newKeys: null,
  refusesInactive: false,
  hidden: false,
  mostRecords: null,
  typedFrom: null,
  largestBatch: null,
  ...noPacing,
};
