import type { Edit } from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import { IsNotEmpty, IsString, MaxLength } from 'class-validator';
import { Edits } from './edits';
import { routesOf } from './route';
import { flag, moment, named, nullable, text, uuid, type Answer } from './shape';

export class PresetBody {
  @IsString() @IsNotEmpty() @MaxLength(100) name!: string;
  /** The type of the new records. */
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
  /** What their fields get: edits of the kinds set and compute. */
  @Edits(100) edits!: readonly Edit[];
}

export const PresetView = named('PresetView', {
  id: uuid,
  name: text,
  type: text,
  typeLabel: text,
  edits: Of.Unsafe<readonly Edit[]>({ type: 'array', items: { type: 'object' } }),
  sentence: Of.String({ description: 'what they get, in words' }),
  trouble: nullable(text, 'why it needs a look before it is used'),
  mine: flag,
  savedBy: text,
  savedAt: moment,
});
export type PresetView = Answer<typeof PresetView>;

export const presetRoutes = routesOf({
  presets: {
    method: 'get',
    path: '/api/presets',
    summary: 'What new records are often given, kept under names',
    answer: Of.Array(PresetView),
  },
  keepPreset: {
    method: 'post',
    path: '/api/presets',
    summary: 'Keep values of new records under a name; one’s own of that name is replaced',
    answer: PresetView,
    status: 201,
    body: PresetBody,
  },
  dropPreset: { method: 'delete', path: '/api/presets/:id', summary: 'Forget a preset', answer: null, status: 204 },
});
