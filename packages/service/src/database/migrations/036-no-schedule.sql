-- Nothing can be scheduled yet, so no line allows or denies it. Nobody changed anything, so the history of settings stays as it is.
alter table tantamos.right_line disable trigger user;
delete from tantamos.right_line where acts = array['schedule'];
update tantamos.right_line set acts = array_remove(acts, 'schedule') where 'schedule' = any(acts);
alter table tantamos.right_line enable trigger user;
