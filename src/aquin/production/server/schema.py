"""What the server has beside the tables: the order of rows, files of a production, news, and who may do what.

Roles are the server's own, without login; people's accounts are their members, so that the server refuses what is not
allowed, whatever program asks.
"""

from __future__ import annotations

import hashlib
from typing import Literal

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.production.address import Address
from aquin.production.tables import TABLES

Role = Literal["looks", "grades", "leads"]
ROLES: dict[Role, str] = {
    "looks": "sees everything and leaves notes",
    "grades": "settles, trims and agrees as well",
    "leads": "decides everything: plan, cameras, heroes, looks, people",
}
FILES = "attachment"
GRADED = ("balance", "trim")
"""Layers of grades that a grader writes; conversions and looks are the lead's."""
NOTES = ("notes:",)
OWN = ("agreed:", "named:", "struck:", "skin:", "chart:", "notes:")
"""Beginnings of the options that belong to one shot each."""
KEPT = ("measurement", "finding")
MARK = "Aquin production: "
"""How the server's comment on a schema begins."""

_COME = [t.name for t in TABLES.values()]
_NEWS = ("journal", *KEPT, "seat", "claim", FILES)


def extras(connection: sql.Connection, schema: str, title: str) -> None:
    """Make it, after the tables."""
    run = connection.exec_driver_sql
    for table in _COME:
        run(f'ALTER TABLE "{table}" ADD COLUMN came bigserial')
    run(
        f"CREATE TABLE {FILES} (name text PRIMARY KEY, digest text NOT NULL, content bytea NOT NULL, came bigserial)"
    )
    run(
        "CREATE FUNCTION told() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN "
        "PERFORM pg_notify(TG_TABLE_SCHEMA, TG_TABLE_NAME || ' ' || pg_backend_pid()); RETURN NULL; END $$"
    )
    for table in _NEWS:
        run(
            f"CREATE TRIGGER told AFTER INSERT OR UPDATE OR DELETE ON {table} "
            "FOR EACH STATEMENT EXECUTE FUNCTION told()"
        )
    connection.execute(
        sql.text(
            f"COMMENT ON SCHEMA {schema} IS '{MARK}" + title.replace("'", "''").replace(":", "\\:") + "'"
        )
    )


def role_names(connection: sql.Connection, address: Address) -> dict[Role, str]:
    """What the production's roles are called on the server: they hold for all its databases, so each has a mark."""
    name = str(connection.exec_driver_sql("SELECT current_database()").scalar_one())
    mark = hashlib.blake2b(name.encode(), digest_size=2).hexdigest()
    return {role: f"{address.schema}_{mark}_{role}" for role in ROLES}


def make_roles(connection: sql.Connection, address: Address) -> None:
    """The three roles and what each may do. Raises the driver's error where the account may not make roles."""
    run, schema = connection.exec_driver_sql, address.schema
    names = role_names(connection, address)
    for name in names.values():
        there = connection.execute(
            sql.text("SELECT 1 FROM pg_roles WHERE rolname = :n"), {"n": name}
        ).scalar()
        if not there:
            run(f"CREATE ROLE {name} NOLOGIN")
    looks, grades, leads = names["looks"], names["grades"], names["leads"]
    everybody = f"{looks}, {grades}, {leads}"
    run(f"GRANT {looks} TO {grades}")
    run(f"GRANT {grades} TO {leads}")
    run(f"GRANT {looks}, {grades} TO {leads} WITH ADMIN OPTION")
    run(f"GRANT USAGE ON SCHEMA {schema} TO {everybody}")
    run(f"GRANT SELECT ON ALL TABLES IN SCHEMA {schema} TO {everybody}")
    run(f"GRANT USAGE ON ALL SEQUENCES IN SCHEMA {schema} TO {everybody}")
    run(f"GRANT INSERT ON journal TO {looks}")  # nobody changes or drops an entry
    for table in ("seat", "claim", "option", "place"):
        run(f'GRANT INSERT, UPDATE, DELETE ON "{table}" TO {looks}')
    for table in ("grade", "dismissal", *KEPT):
        run(f"GRANT INSERT, UPDATE, DELETE ON {table} TO {grades}")
    for table in (*_COME, FILES):
        run(f'GRANT INSERT, UPDATE, DELETE ON "{table}" TO {leads}')
    _rows(connection, "journal", "who = session_user", looks, insert_only=True)
    _rows(connection, "option", _begins("id", NOTES), looks)
    _rows(connection, "option", _begins("id", OWN), grades, "own")
    _rows(connection, "option", "true", leads, "all")
    _rows(connection, "grade", f"layer IN ({', '.join(repr(x) for x in GRADED)})", grades)
    _rows(connection, "grade", "true", leads, "all")


def _begins(column: str, words: tuple[str, ...]) -> str:
    return "(" + " OR ".join(f"starts_with({column}, '{w}')" for w in words) + ")"


def _rows(
    connection: sql.Connection,
    table: str,
    which: str,
    role: str,
    name: str = "some",
    insert_only: bool = False,
) -> None:
    """Let a role write only such rows of a table; all are seen (row security: PostgreSQL documentation, 5.8)."""
    run = connection.exec_driver_sql
    run(f'ALTER TABLE "{table}" ENABLE ROW LEVEL SECURITY')
    run(f'DROP POLICY IF EXISTS seen ON "{table}"')
    run(f'CREATE POLICY seen ON "{table}" FOR SELECT USING (true)')
    kinds = ("INSERT",) if insert_only else ("INSERT", "UPDATE", "DELETE")
    for kind in kinds:
        check = f"WITH CHECK ({which})" if kind == "INSERT" else f"USING ({which})"
        run(f'CREATE POLICY {name}_{kind.lower()} ON "{table}" FOR {kind} TO {role} {check}')


def role_of(connection: sql.Connection, address: Address) -> Role | None:
    """What this account may do; None where it may do nothing."""
    owner = sql.text(
        "SELECT pg_has_role(session_user, nspowner, 'member') FROM pg_namespace WHERE nspname = :schema"
    )
    if connection.execute(owner, {"schema": address.schema}).scalar():
        return "leads"
    names = role_names(connection, address)
    found: Role | None = None
    for role, name in names.items():
        said = sql.text("SELECT pg_has_role(session_user, oid, 'member') FROM pg_roles WHERE rolname = :name")
        if connection.execute(said, {"name": name}).scalar():
            found = role
    return found


def people(connection: sql.Connection, address: Address) -> list[tuple[str, Role]]:
    """The accounts that were let in, with the highest of their roles."""
    return sorted(dict(_grants(connection, role_names(connection, address))).items())


def let(connection: sql.Connection, address: Address, who: str, role: Role | None) -> None:
    """Give an account of the server a role in the production, or none. Raises AquinError."""
    there = connection.execute(
        sql.text("SELECT rolcanlogin FROM pg_roles WHERE rolname = :n"), {"n": who}
    ).scalar()
    if not there:
        raise AquinError(
            f"the server has no account '{who}'",
            str(address),
            "Whoever runs the server makes accounts: CREATE ROLE name LOGIN",
        )
    quoted = '"' + who.replace('"', '""') + '"'
    names = role_names(connection, address)
    had = [r for who_, r in _grants(connection, names) if who_ == who]
    for held in had:
        connection.exec_driver_sql(f"REVOKE {names[held]} FROM {quoted}")
    if role is not None:
        more = " WITH ADMIN OPTION" if role == "leads" else ""  # so that each who leads may let others lead
        connection.exec_driver_sql(f"GRANT {names[role]} TO {quoted}{more}")
    left = [r for who_, r in _grants(connection, names) if who_ == who and r != role]
    if left:
        raise AquinError(
            f"'{who}' still {left[0]}: somebody else has let them in",
            str(address),
            "Whoever did can take it back",
        )


def _grants(connection: sql.Connection, names: dict[Role, str]) -> list[tuple[str, Role]]:
    """Accounts and the roles that they were given, lower ones first."""
    query = sql.text(
        "SELECT DISTINCT m.rolname FROM pg_auth_members a JOIN pg_roles r ON r.oid = a.roleid "
        "JOIN pg_roles m ON m.oid = a.member WHERE r.rolname = :name ORDER BY 1"
    )
    return [
        (str(who), role)
        for role, name in names.items()
        for (who,) in connection.execute(query, {"name": name})
        if who not in names.values()
    ]
