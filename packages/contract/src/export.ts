import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsOptional, IsString } from 'class-validator';
import { routesOf } from './route';
import { SelectionParts } from './selection';

export const fileFormats = ['csv', 'jsonl', 'xlsx'] as const;

export class ExportBody extends SelectionParts {
  @IsIn(fileFormats) format!: (typeof fileFormats)[number];
  @IsOptional() @IsArray() @ArrayMaxSize(200) @IsString({ each: true }) columns?: string[];
  @IsOptional() @IsArray() @ArrayMaxSize(10) @IsString({ each: true }) sort?: string[];
  /** Between cells of CSV; a comma, as RFC 4180 has it, unless said. */
  @IsOptional() @IsIn([',', ';', '\t']) separator?: ',' | ';' | '\t';
  /** Begin with a byte order mark, which some spreadsheets need to read UTF-8. */
  @IsOptional() @IsBoolean() bom?: boolean;
  @IsOptional() @IsBoolean() decimalComma?: boolean;
  /** Cells as they are, even where a spreadsheet would take them for a formula. */
  @IsOptional() @IsBoolean() raw?: boolean;
  /** A last column with a signature of each row: brought back, such a file changes only what was edited in it. */
  @IsOptional() @IsBoolean() signed?: boolean;
  /** Values as stored instead of names and labels. */
  @IsOptional() @IsBoolean() stored?: boolean;
}

export const exportRoutes = routesOf({
  exportRecords: {
    method: 'post',
    path: '/api/types/:type/export',
    summary: 'All selected records as a file, streamed; their number is in the header Tantamos-Records',
    answer: null,
    body: ExportBody,
    files: ['text/csv', 'application/jsonl', 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet'],
  },
});
