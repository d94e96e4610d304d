import type { FieldSettingsBody, TypeSettingsBody } from '@tantamos/contract';
import { fail } from '@tantamos/core';
import { mustBeAllowed } from '../../accounts/rights';
import type { Handler } from '../handler';
import { seenType } from '../seen-type';
import { typeSummary, typeView, unreadableSummary } from '../views';

export const types: Handler = async ({ services, person }) => {
  const { types: all, unreadable } = await services.catalogs.get();
  const seen = all.filter((t) => !t.hidden || person.role === 'administrator');
  return [...seen.map(typeSummary), ...unreadable.map(unreadableSummary)];
};

export const type: Handler = async ({ services, person, params }) =>
  typeView(await seenType(services, person, params.type!), person);

export const setType: Handler<TypeSettingsBody> = async ({ services, person, params, body }) => {
  mustBeAllowed(person, { act: 'settings' });
  if (Object.keys(body).length === 0) fail('bad_request', 'Say which setting to change.');
  await services.catalogs.setType(params.type!, body, person.id);
  return typeView((await services.catalogs.get()).type(params.type!), person);
};

export const setField: Handler<FieldSettingsBody> = async ({ services, person, params, body }) => {
  mustBeAllowed(person, { act: 'settings' });
  if (Object.keys(body).length === 0) fail('bad_request', 'Say which setting to change.');
  await services.catalogs.setField(params.type!, params.field!, body, person.id);
  return typeView((await services.catalogs.get()).type(params.type!), person);
};
