-- Nothing can be scheduled yet, so no line allows or denies it.
delete from tantamos.right_line where acts = array['schedule'];
update tantamos.right_line set acts = array_remove(acts, 'schedule') where 'schedule' = any(acts);
