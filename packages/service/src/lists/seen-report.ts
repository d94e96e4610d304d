import type { ListReportView } from '@tantamos/contract';
import { fieldNamed, ProblemError, resolveColumn } from '@tantamos/core';
import type { Seen } from '../rights/seen';

/** The report of a list without what is withheld from the person. */
export function reportAsSeen(report: ListReportView, { catalog }: Seen): ListReportView {
  const isSeen = (typeId: string, field: string): boolean => {
    const type = catalog.find(typeId);
    if (!type) return false;
    try {
      return resolveColumn(catalog, type, field) !== null;
    } catch (error) {
      if (error instanceof ProblemError) return fieldNamed(type, field)?.hidden === false;
      throw error;
    }
  };
  const byType = report.byType.filter((t) => t.fields.every((f) => isSeen(t.type, f)));
  const all = byType.length === report.byType.length;
  return {
    ...report,
    byType,
    elsewhere: report.elsewhere.filter((e) => isSeen(e.type, e.field)),
    sentence: all ? report.sentence : `${report.lines.toLocaleString('en-US')} lines`,
  };
}
