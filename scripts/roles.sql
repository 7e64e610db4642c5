-- The roles of a house, made or put right; told twice it changes nothing. As a superuser,
-- in the house's own database:
--   psql -d unionknot -v owner_password=... -v app_password=... -f roles.sql
-- unionknot_owner owns the tables and brings them up to date; unionknot is what the server
-- signs in as: it reads and writes rows, adds to what is only added to, and changes no
-- table. What it may is granted by "unionknot migrate".
\set ON_ERROR_STOP on
begin;
select pg_advisory_xact_lock(6174012);
select 'create role unionknot_owner' where not exists (select 1 from pg_roles where rolname = 'unionknot_owner') \gexec
select 'create role unionknot' where not exists (select 1 from pg_roles where rolname = 'unionknot') \gexec
alter role unionknot_owner login nosuperuser nocreatedb nocreaterole password :'owner_password';
alter role unionknot login nosuperuser nocreatedb nocreaterole noinherit password :'app_password';
select format('alter database %I owner to unionknot_owner', current_database()) \gexec
alter schema public owner to unionknot_owner;
revoke create on schema public from public;
select format('revoke all on database %I from public', current_database()) \gexec
select format('grant connect on database %I to unionknot', current_database()) \gexec
-- A house from before the roles: everything in it is the owner's from now on.
select format('alter %s %s owner to unionknot_owner', case relkind when 'v' then 'view' when 'S' then 'sequence' else 'table' end,
  oid::regclass)
from pg_class k
where relnamespace = 'public'::regnamespace and relkind in ('r', 'p', 'v', 'S') and relowner <> 'unionknot_owner'::regrole
  and not exists (select 1 from pg_depend d where d.objid = k.oid and d.classid = 'pg_class'::regclass and d.deptype in ('a', 'i', 'e'))
order by relkind \gexec
select format('alter function %s owner to unionknot_owner', oid::regprocedure)
from pg_proc p where pronamespace = 'public'::regnamespace and proowner <> 'unionknot_owner'::regrole
  and not exists (select 1 from pg_depend d where d.objid = p.oid and d.deptype = 'e') \gexec
commit;
