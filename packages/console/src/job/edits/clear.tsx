import type { EditForm } from './form';

/** No value any more. */
export const clear: EditForm<'clear'> = {
  action: 'Clear',
  fits: (field) => !field.required,
  complete: ({ field }) => (field !== undefined ? { kind: 'clear', field } : null),
  Form: () => <p className="flex h-8 flex-1 items-center text-quiet">to blank, on every record</p>,
};
