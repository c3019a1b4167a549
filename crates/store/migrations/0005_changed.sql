-- When its scene was last changed: projects are listed by it.
alter table project add changed timestamptz not null default now();
update project set changed = coalesce((select max(made) from edit where project = project.id), created);
