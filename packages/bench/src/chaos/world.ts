import type { Pool } from 'pg';

// A small firm's orders, and an audit of its own beside them: every write of whomever, with what it saw.

export const records = 4000;
export const owners = 60;
/** Of so many orders three are changed by triggers while they are written, and so refused. */
export const oddEvery = 211;
export const isOdd = (id: number): boolean => [1, 2, 3].includes(id % oddEvery);

/** The tables, and triggers that audit every write and refuse some. Application names tell lanes from hands. */
export async function makeWorld(db: Pool): Promise<void> {
  await db.query(`
    create table owners (id integer primary key, name text not null, kind text not null);
    create table orders (id integer primary key, owner integer not null references owners, status text not null,
      note text, amount numeric not null);
    insert into owners select n, 'owner ' || n, 'north' from generate_series(1, ${owners}) n;
    insert into orders select n, 1 + n % ${owners}, 'open', 'start', n from generate_series(1, ${records}) n;
    create table audit (id bigserial primary key, record integer not null, act text not null, who text not null,
      old jsonb, new jsonb, kind_seen text);
    create index on audit (record, id);
    create function keep_audit() returns trigger language plpgsql as $$ begin
      insert into audit (record, act, who, old, new, kind_seen) values (coalesce(new.id, old.id), tg_op,
        current_setting('application_name'), to_jsonb(old), to_jsonb(new), (select kind from owners where id = new.owner));
      return null; end $$;
    create trigger audited after insert or update or delete on orders for each row execute function keep_audit();
    create function refuse() returns trigger language plpgsql as $$ begin
      if new.amount < 0 and current_setting('application_name') like 'tantamos%' then
        raise exception 'order % is sealed', new.id using errcode = (array['P0001', '40001', '55P03', '57P01'])[1 + new.id % 4];
      end if; return new; end $$;
    create trigger sealed before update on orders for each row execute function refuse();
    -- Of some orders a trigger makes something else of what a service writes: it swallows, deletes or moves them.
    create function odd() returns trigger language plpgsql as $$ begin
      if current_setting('application_name') like 'tantamos%' then
        if new.id % ${oddEvery} = 1 then return null; end if;
        if new.id % ${oddEvery} = 2 then new.id := new.id + 1000000; end if;
      end if; return new; end $$;
    create trigger odd before update on orders for each row execute function odd();
    create function odder() returns trigger language plpgsql as $$ begin
      if current_setting('application_name') like 'tantamos%' and new.id % ${oddEvery} = 3 then delete from orders where id = new.id; end if;
      return null; end $$;
    create trigger odder after update on orders for each row execute function odder();
  `);
}

/** Records that were deleted by hand come back between rounds, so that there is always work. */
export async function mend(db: Pool): Promise<void> {
  await db.query(`
    insert into orders select n, 1 + n % ${owners}, 'open', 'back', n from generate_series(1, ${records}) n
    where not exists (select from orders where id = n);
    update owners set kind = 'north' where kind <> 'north';
    update orders set status = 'open' where status <> 'open'`);
}
