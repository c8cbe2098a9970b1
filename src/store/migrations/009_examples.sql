-- Why a version went live although examples of it did not come out as they were to; null where they did.
alter table rappel.workflow_version add column overruled text check (overruled <> '');
