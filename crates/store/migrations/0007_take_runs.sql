-- Of a run that computes a take's scene and not the project's own.
alter table run add column take bigint references take on delete set null;
