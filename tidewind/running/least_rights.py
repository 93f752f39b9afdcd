"""A database made before its program had a password is closed, and the program loses the rights of a superuser."""

from __future__ import annotations

from pathlib import Path

import psycopg
from psycopg import sql

ADMIN, PROGRAM = "tidewind_admin", "tidewind"
_CLOSED = "# Written by Tidewind: nobody comes in without a password.\nhost all all 127.0.0.1/32 scram-sha-256\n"
_FORMER = "tidewind_former"
_THINGS = """
    select case c.relkind when 'S' then 'sequence' when 'v' then 'view' else 'table' end, c.oid::regclass::text
      from pg_class c where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p', 'S', 'v')
       and not exists (select from pg_depend d where d.objid = c.oid and d.deptype in ('e', 'a', 'i'))
    union all
    select 'routine', p.oid::regprocedure::text
      from pg_proc p where p.pronamespace = 'public'::regnamespace
       and not exists (select from pg_depend d where d.objid = p.oid and d.deptype = 'e')
    union all
    select 'type', t.oid::regtype::text
      from pg_type t where t.typnamespace = 'public'::regnamespace and t.typtype in ('e', 'd')
       and not exists (select from pg_depend d where d.objid = t.oid and d.deptype = 'e')
"""


def way_in_is_open(data: Path) -> bool:
    """Tell whether a cluster lets anybody on this machine in without a password."""
    lines = (data / "pg_hba.conf").read_text().splitlines()
    return any(line.split()[-1] == "trust" for line in lines if line.strip() and not line.startswith("#"))


def separate_program(open_url: str, admin_password: str, data: Path) -> None:
    """Close the way in and make the program an owner of its own tables only.

    ``open_url`` reaches the server as its first superuser, whose name the program had; he cannot lose his rights, so he
    gets another name and no way in.  Each step looks whether it was done, since the way is closed by the last alone.
    """
    named = open_url.replace(f"//{PROGRAM}@", f"//{ADMIN}@")
    _make_admin(open_url, named, admin_password)
    with psycopg.connect(f"{named}postgres", autocommit=True) as admin:
        if admin.execute("select 1 from pg_roles where rolname = %s and rolsuper", (PROGRAM,)).fetchone():
            admin.execute(f"alter role {PROGRAM} rename to {_FORMER}")
        admin.execute(f"alter role {_FORMER} nologin")
        if not admin.execute("select 1 from pg_roles where rolname = %s", (PROGRAM,)).fetchone():
            admin.execute(f"create role {PROGRAM} login")
        there = admin.execute("select 1 from pg_database where datname = 'tidewind'").fetchone()
        if there:
            admin.execute(f"alter database tidewind owner to {PROGRAM}")
    if there:
        with psycopg.connect(f"{named}tidewind") as admin:
            for kind, name in admin.execute(_THINGS).fetchall():
                admin.execute(sql.SQL(f"alter {kind} {name} owner to {PROGRAM}"))
    with psycopg.connect(f"{named}postgres", autocommit=True) as admin:
        (data / "pg_hba.conf").write_text(_CLOSED)
        admin.execute("select pg_reload_conf()")


def _make_admin(open_url: str, named: str, password: str) -> None:
    try:
        psycopg.connect(f"{named}postgres").close()
    except psycopg.OperationalError:
        with psycopg.connect(f"{open_url}postgres", autocommit=True) as first:
            first.execute(f"create role {ADMIN} login superuser")
    with psycopg.connect(f"{named}postgres", autocommit=True) as admin:
        admin.execute(sql.SQL("alter role {} password {}").format(sql.Identifier(ADMIN), sql.Literal(password)))
