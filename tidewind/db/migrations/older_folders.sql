-- What brings the tables of an older folder to today's, version by version; a folder starts behind its own mark.

-- 0002: Layers of planning, channels with their log, an address book, saved views, and what an order needs for them.
create extension if not exists pg_trgm;
CREATE TABLE contact (id BIGSERIAL NOT NULL, code VARCHAR(30), address JSONB NOT NULL, home BOOLEAN NOT NULL, search VARCHAR(600) NOT NULL, CONSTRAINT pk_contact PRIMARY KEY (id), CONSTRAINT uq_contact_code UNIQUE (code));
CREATE INDEX ix_contact_search ON contact USING gin (search gin_trgm_ops);
CREATE TABLE precedent (id BIGSERIAL NOT NULL, basket VARCHAR(64) NOT NULL, destination VARCHAR(20) NOT NULL, hand JSONB NOT NULL, order_number VARCHAR(60) NOT NULL, at TIMESTAMP WITH TIME ZONE NOT NULL, CONSTRAINT pk_precedent PRIMARY KEY (id), CONSTRAINT uq_precedent_basket_destination UNIQUE (basket, destination));
CREATE TABLE promise_link (id BIGSERIAL NOT NULL, promise VARCHAR(120) NOT NULL, recipe VARCHAR(40) NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_promise_link PRIMARY KEY (id), CONSTRAINT uq_promise_link_promise UNIQUE (promise));
CREATE TABLE recipe (id BIGSERIAL NOT NULL, code VARCHAR(40) NOT NULL, name VARCHAR(80) NOT NULL, service VARCHAR(30), packaging VARCHAR(30), extras JSONB NOT NULL, CONSTRAINT pk_recipe PRIMARY KEY (id), CONSTRAINT uq_recipe_code UNIQUE (code), CONSTRAINT uq_recipe_name UNIQUE (name));
CREATE TABLE restricted_party (id BIGSERIAL NOT NULL, source VARCHAR(80) NOT NULL, key VARCHAR(60) NOT NULL, names JSONB NOT NULL, country VARCHAR(2) NOT NULL, CONSTRAINT pk_restricted_party PRIMARY KEY (id), CONSTRAINT uq_restricted_party_source_key UNIQUE (source, key));
CREATE TABLE work (id BIGSERIAL NOT NULL, kind VARCHAR(30) NOT NULL, words VARCHAR(200) NOT NULL, total INTEGER NOT NULL, done INTEGER NOT NULL, state VARCHAR(20) NOT NULL, cursor INTEGER NOT NULL, result VARCHAR(300) NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_work PRIMARY KEY (id));
CREATE TABLE channel_log (id BIGSERIAL NOT NULL, channel_id BIGINT NOT NULL, at TIMESTAMP WITH TIME ZONE NOT NULL, kind VARCHAR(20) NOT NULL, counts JSONB NOT NULL, entries JSONB NOT NULL, failure VARCHAR(300) NOT NULL, CONSTRAINT pk_channel_log PRIMARY KEY (id), CONSTRAINT fk_channel_log_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id) ON DELETE CASCADE);
CREATE INDEX ix_channel_log_channel_id ON channel_log (channel_id);
CREATE TABLE claim (order_id INTEGER NOT NULL, person_id BIGINT NOT NULL, seen_at TIMESTAMP WITH TIME ZONE NOT NULL, CONSTRAINT pk_claim PRIMARY KEY (order_id), CONSTRAINT fk_claim_person_id FOREIGN KEY(person_id) REFERENCES person (id) ON DELETE CASCADE);
CREATE INDEX ix_claim_person_id ON claim (person_id);
CREATE TABLE rule_set (id BIGSERIAL NOT NULL, rules JSONB NOT NULL, note VARCHAR(200) NOT NULL, person_id BIGINT, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_rule_set PRIMARY KEY (id), CONSTRAINT fk_rule_set_person_id FOREIGN KEY(person_id) REFERENCES person (id));
CREATE INDEX ix_rule_set_person_id ON rule_set (person_id);
CREATE TABLE saved_view (id BIGSERIAL NOT NULL, person_id BIGINT NOT NULL, name VARCHAR(60) NOT NULL, asks JSONB NOT NULL, CONSTRAINT pk_saved_view PRIMARY KEY (id), CONSTRAINT fk_saved_view_person_id FOREIGN KEY(person_id) REFERENCES person (id) ON DELETE CASCADE, CONSTRAINT uq_saved_view_person_id_name UNIQUE (person_id, name));
CREATE INDEX ix_saved_view_person_id ON saved_view (person_id);
CREATE TABLE clearance (id BIGSERIAL NOT NULL, order_id BIGINT NOT NULL, party VARCHAR(60) NOT NULL, words VARCHAR(500) NOT NULL, reason VARCHAR(500) NOT NULL, person_id BIGINT NOT NULL, at TIMESTAMP WITH TIME ZONE NOT NULL, CONSTRAINT pk_clearance PRIMARY KEY (id), CONSTRAINT fk_clearance_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id) ON DELETE CASCADE, CONSTRAINT fk_clearance_person_id FOREIGN KEY(person_id) REFERENCES person (id));
CREATE INDEX ix_clearance_order_id ON clearance (order_id);
CREATE INDEX ix_clearance_person_id ON clearance (person_id);
CREATE TABLE order_change (id BIGSERIAL NOT NULL, order_id BIGINT NOT NULL, at TIMESTAMP WITH TIME ZONE NOT NULL, who VARCHAR(120) NOT NULL, what VARCHAR(300) NOT NULL, undo JSONB NOT NULL, CONSTRAINT pk_order_change PRIMARY KEY (id), CONSTRAINT fk_order_change_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id) ON DELETE CASCADE);
CREATE INDEX ix_order_change_order_id ON order_change (order_id);
CREATE TABLE order_difference (id BIGSERIAL NOT NULL, order_id BIGINT NOT NULL, at TIMESTAMP WITH TIME ZONE NOT NULL, kind VARCHAR(20) NOT NULL, changes JSONB NOT NULL, upstream JSONB NOT NULL, state VARCHAR(20) NOT NULL, decided_by VARCHAR(120) NOT NULL, decided_at TIMESTAMP WITH TIME ZONE, CONSTRAINT pk_order_difference PRIMARY KEY (id), CONSTRAINT ck_order_difference_state CHECK (state in ('waiting', 'taken', 'refused')), CONSTRAINT fk_order_difference_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id) ON DELETE CASCADE);
CREATE INDEX ix_order_difference_order_id ON order_difference (order_id);
CREATE UNIQUE INDEX uq_order_difference_waiting ON order_difference (order_id) WHERE state = 'waiting';
ALTER TABLE carrier_account ADD COLUMN latin_only BOOLEAN DEFAULT false NOT NULL;
ALTER TABLE channel ADD COLUMN adapter VARCHAR(30) DEFAULT '' NOT NULL;
ALTER TABLE channel ADD COLUMN state VARCHAR(20) DEFAULT 'connected' NOT NULL;
ALTER TABLE channel ADD COLUMN secret_sealed VARCHAR(1000) DEFAULT '' NOT NULL;
ALTER TABLE channel ADD COLUMN states JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE channel ADD COLUMN payments JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE channel ADD COLUMN write_back JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE channel ADD COLUMN every_minutes INTEGER DEFAULT '10' NOT NULL;
ALTER TABLE channel ADD COLUMN brand VARCHAR(80) DEFAULT '' NOT NULL;
ALTER TABLE customer_order ADD COLUMN state_by VARCHAR(10) DEFAULT '' NOT NULL;
ALTER TABLE customer_order ADD COLUMN payment VARCHAR(20) DEFAULT 'paid' NOT NULL;
ALTER TABLE customer_order ADD COLUMN billing_name VARCHAR(120) DEFAULT '' NOT NULL;
ALTER TABLE customer_order ADD COLUMN reference VARCHAR(60) DEFAULT '' NOT NULL;
ALTER TABLE customer_order ADD COLUMN tags JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE customer_order ADD COLUMN plan_tags JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE customer_order ADD COLUMN desk VARCHAR(60) DEFAULT '' NOT NULL;
ALTER TABLE customer_order ADD COLUMN comment VARCHAR(500) DEFAULT '' NOT NULL;
ALTER TABLE customer_order ADD COLUMN cleared JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE customer_order ADD COLUMN basket VARCHAR(64) DEFAULT '' NOT NULL;
ALTER TABLE customer_order ADD COLUMN destination VARCHAR(20) DEFAULT '' NOT NULL;
ALTER TABLE customer_order ADD COLUMN search TEXT DEFAULT '' NOT NULL;
ALTER TABLE customer_order ADD COLUMN recipient_key VARCHAR(64) DEFAULT '' NOT NULL;
ALTER TABLE customer_order ADD COLUMN snag_level VARCHAR(10) DEFAULT '' NOT NULL;
ALTER TABLE customer_order ADD COLUMN promise_linked BOOLEAN DEFAULT true NOT NULL;
ALTER TABLE customer_order ADD COLUMN joined_to BIGINT;
ALTER TABLE customer_order ADD COLUMN part_of BIGINT;
CREATE INDEX ix_customer_order_import_id ON customer_order (import_id);
CREATE INDEX ix_customer_order_joined_to ON customer_order (joined_to);
CREATE INDEX ix_customer_order_recipient_key ON customer_order (recipient_key);
CREATE INDEX ix_customer_order_search ON customer_order USING gin (search gin_trgm_ops);
ALTER TABLE import_file ADD COLUMN options JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE import_file ADD COLUMN corrected JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE import_file ADD COLUMN total INTEGER DEFAULT '0' NOT NULL;
ALTER TABLE import_file ADD COLUMN progress INTEGER DEFAULT '0' NOT NULL;
ALTER TABLE order_line ADD COLUMN sent INTEGER DEFAULT '0' NOT NULL;
ALTER TABLE packaging ADD COLUMN holds_from_g INTEGER;
ALTER TABLE packaging ADD COLUMN holds_to_g INTEGER;
ALTER TABLE product ADD COLUMN tags JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE product ADD COLUMN material VARCHAR(120) DEFAULT '' NOT NULL;
ALTER TABLE product ADD COLUMN used_for VARCHAR(120) DEFAULT '' NOT NULL;
ALTER TABLE product ADD COLUMN recipe VARCHAR(40) DEFAULT '' NOT NULL;
ALTER TABLE product ADD COLUMN learned_from VARCHAR(60) DEFAULT '' NOT NULL;
ALTER TABLE shop ADD COLUMN group_services JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE shop ADD COLUMN packaging_by_weight BOOLEAN DEFAULT false NOT NULL;
ALTER TABLE shop ADD COLUMN use_precedents BOOLEAN DEFAULT true NOT NULL;
ALTER TABLE shop ADD COLUMN desks JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE customer_order ADD CONSTRAINT ck_customer_order_payment CHECK (payment in ('paid', 'pay_on_delivery', 'unpaid'));
ALTER TABLE order_line ADD CONSTRAINT ck_order_line_sent CHECK (sent between 0 and quantity);
ALTER TABLE import_file DROP CONSTRAINT ck_import_file_state;
ALTER TABLE import_file ADD CONSTRAINT ck_import_file_state CHECK (state in ('mapping', 'running', 'done', 'undone'));
update channel set adapter = 'larkspur', write_back = '{"shipped": true}', states = '{"processing": "fetch", "on_hold": "hold", "collected": "leave_out", "cancelled": "cancelled"}', payments = '{"paid": "paid", "pending": "unpaid"}' where kind = 'webshop';
update customer_order o set state_by = case when state in ('held', 'left_out') then 'channel' else '' end, snag_level = coalesce((select min(level) from snag where order_id = o.id), ''), search = lower(concat_ws(' ', number, address ->> 'name', address ->> 'company', address ->> 'city', address ->> 'postcode', address ->> 'email', (select string_agg(name || ' ' || sku, ' ') from order_line where order_id = o.id)));

-- 0003: Rates: what live carriers answered, services switched off, an own ranking.
CREATE TABLE live_answer (id BIGSERIAL NOT NULL, carrier VARCHAR(30) NOT NULL, key VARCHAR(64) NOT NULL, asked_at TIMESTAMP WITH TIME ZONE NOT NULL, expires_at TIMESTAMP WITH TIME ZONE NOT NULL, prices JSONB DEFAULT '{}'::jsonb NOT NULL, refusals JSONB DEFAULT '{}'::jsonb NOT NULL, failure VARCHAR(300) DEFAULT '' NOT NULL, CONSTRAINT pk_live_answer PRIMARY KEY (id), CONSTRAINT uq_live_answer_carrier_key UNIQUE (carrier, key));
CREATE INDEX ix_live_answer_asked_at ON live_answer (asked_at);
ALTER TABLE carrier_account ADD COLUMN services_off JSONB DEFAULT '[]'::jsonb NOT NULL;
ALTER TABLE carrier_account ADD COLUMN asks_prices BOOLEAN DEFAULT false NOT NULL;
ALTER TABLE rate_card ADD COLUMN source VARCHAR(200) DEFAULT '' NOT NULL;
ALTER TABLE shop ADD COLUMN ranking JSONB DEFAULT '[]'::jsonb NOT NULL;

-- 0004: Papers and printers, labels for the way back, and labels that colleagues ask for.
CREATE TABLE print_preference (kind VARCHAR(20) NOT NULL, paper VARCHAR(20) NOT NULL, printer VARCHAR(30) NOT NULL, copies INTEGER NOT NULL, CONSTRAINT pk_print_preference PRIMARY KEY (kind), CONSTRAINT ck_print_preference_kind CHECK (kind in ('label', 'packing_slip', 'pick_list', 'batch_summary', 'invoice', 'return_label')), CONSTRAINT ck_print_preference_copies CHECK (copies between 1 and 9));
CREATE TABLE printer (id BIGSERIAL NOT NULL, code VARCHAR(30) NOT NULL, name VARCHAR(80) NOT NULL, base_url VARCHAR(200) NOT NULL, active BOOLEAN NOT NULL, CONSTRAINT pk_printer PRIMARY KEY (id), CONSTRAINT uq_printer_code UNIQUE (code));
CREATE TABLE request_link (id BIGSERIAL NOT NULL, key VARCHAR(43) NOT NULL, name VARCHAR(80) NOT NULL, cost_codes JSONB NOT NULL, active BOOLEAN NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_request_link PRIMARY KEY (id), CONSTRAINT uq_request_link_key UNIQUE (key));
CREATE TABLE print_job (id BIGSERIAL NOT NULL, client_key VARCHAR(80) NOT NULL, printer VARCHAR(30) NOT NULL, kind VARCHAR(20) NOT NULL, title VARCHAR(120) NOT NULL, copies INTEGER NOT NULL, body BYTEA NOT NULL, state VARCHAR(20) NOT NULL, person_id BIGINT NOT NULL, attempts INTEGER NOT NULL, next_at TIMESTAMP WITH TIME ZONE NOT NULL, printed_at TIMESTAMP WITH TIME ZONE, last_error VARCHAR(300) NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_print_job PRIMARY KEY (id), CONSTRAINT ck_print_job_state CHECK (state in ('waiting', 'printed', 'cancelled')), CONSTRAINT fk_print_job_person_id FOREIGN KEY(person_id) REFERENCES person (id), CONSTRAINT uq_print_job_client_key UNIQUE (client_key));
CREATE INDEX ix_print_job_due ON print_job (next_at) WHERE state = 'waiting';
CREATE INDEX ix_print_job_person_id ON print_job (person_id);
CREATE TABLE label_request (id BIGSERIAL NOT NULL, link_id BIGINT NOT NULL, client_key VARCHAR(80) NOT NULL, view_key VARCHAR(43) NOT NULL, state VARCHAR(20) NOT NULL, asked_by VARCHAR(120) NOT NULL, source VARCHAR(200) NOT NULL, why VARCHAR(300) NOT NULL, cost_code VARCHAR(60) NOT NULL, sender JSONB NOT NULL, address JSONB NOT NULL, what VARCHAR(120) NOT NULL, gross_g INTEGER NOT NULL, sides_mm JSONB NOT NULL, value_minor INTEGER NOT NULL, sticker_mail VARCHAR(200) NOT NULL, waiter_mail VARCHAR(200) NOT NULL, order_id BIGINT, decided_by VARCHAR(120) NOT NULL, decided_at TIMESTAMP WITH TIME ZONE, words VARCHAR(300) NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_label_request PRIMARY KEY (id), CONSTRAINT ck_label_request_state CHECK (state in ('asked', 'approved', 'declined', 'labelled')), CONSTRAINT fk_label_request_link_id FOREIGN KEY(link_id) REFERENCES request_link (id), CONSTRAINT fk_label_request_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id), CONSTRAINT uq_label_request_client_key UNIQUE (client_key), CONSTRAINT uq_label_request_view_key UNIQUE (view_key));
CREATE INDEX ix_label_request_link_id ON label_request (link_id);
CREATE INDEX ix_label_request_order_id ON label_request (order_id);
CREATE INDEX ix_label_request_state ON label_request (state);
CREATE TABLE parcel_return (id BIGSERIAL NOT NULL, shipment_id BIGINT NOT NULL, idempotency_key VARCHAR(60) NOT NULL, state VARCHAR(20) NOT NULL, in_box BOOLEAN NOT NULL, reason VARCHAR(200) NOT NULL, price_minor INTEGER NOT NULL, tracking_number VARCHAR(40), routing VARCHAR(40) NOT NULL, asked_by VARCHAR(120) NOT NULL, asked_at TIMESTAMP WITH TIME ZONE NOT NULL, used_at TIMESTAMP WITH TIME ZONE, back_at TIMESTAMP WITH TIME ZONE, outcome VARCHAR(200) NOT NULL, failure VARCHAR(300) NOT NULL, CONSTRAINT pk_parcel_return PRIMARY KEY (id), CONSTRAINT ck_parcel_return_state CHECK (state in ('making', 'ready', 'on_its_way', 'back', 'closed', 'cancelled', 'failed')), CONSTRAINT ck_parcel_return_price CHECK (price_minor >= 0), CONSTRAINT ck_parcel_return_used CHECK (used_at is null or tracking_number is not null), CONSTRAINT fk_parcel_return_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id), CONSTRAINT uq_parcel_return_idempotency_key UNIQUE (idempotency_key), CONSTRAINT uq_parcel_return_tracking_number UNIQUE (tracking_number));
CREATE INDEX ix_parcel_return_open ON parcel_return (state) WHERE state in ('making', 'ready', 'on_its_way');
CREATE INDEX ix_parcel_return_shipment_id ON parcel_return (shipment_id);
CREATE UNIQUE INDEX uq_parcel_return_live ON parcel_return (shipment_id) WHERE state in ('making', 'ready', 'on_its_way', 'back');

-- 0005: Batches that are filled first, voids and refunds, who pays, and a ledger that holds more by itself.
ALTER TABLE batch ADD COLUMN name VARCHAR(80) DEFAULT '' NOT NULL;
ALTER TABLE batch ADD COLUMN state VARCHAR(20) DEFAULT 'asked' NOT NULL;
ALTER TABLE batch ADD COLUMN changes JSONB DEFAULT '{}'::jsonb NOT NULL;
ALTER TABLE batch ADD COLUMN asked_at TIMESTAMP WITH TIME ZONE;
CREATE INDEX ix_batch_state ON batch (state);
ALTER TABLE carrier_account ADD COLUMN payer VARCHAR(20) DEFAULT 'balance' NOT NULL;
ALTER TABLE customer_order ADD COLUMN batch_id BIGINT;
ALTER TABLE customer_order ADD COLUMN sender JSONB DEFAULT '{}'::jsonb NOT NULL;
CREATE INDEX ix_customer_order_batch_id ON customer_order (batch_id) WHERE batch_id is not null;
ALTER TABLE customer_order ADD CONSTRAINT fk_customer_order_batch_id FOREIGN KEY(batch_id) REFERENCES batch (id);
ALTER TABLE ledger_line ADD COLUMN balance_after BIGINT DEFAULT '0' NOT NULL;
ALTER TABLE message ADD COLUMN attach VARCHAR(20) DEFAULT '' NOT NULL;
ALTER TABLE recipe ADD COLUMN place INTEGER DEFAULT '0' NOT NULL;
ALTER TABLE shipment ADD COLUMN reference VARCHAR(60) DEFAULT '' NOT NULL;
ALTER TABLE shipment ADD COLUMN payer VARCHAR(20) DEFAULT 'balance' NOT NULL;
ALTER TABLE shipment ADD COLUMN bill_to JSONB DEFAULT '{}'::jsonb NOT NULL;
ALTER TABLE shipment ADD COLUMN begun_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE shipment ADD COLUMN attempts INTEGER DEFAULT '0' NOT NULL;
ALTER TABLE shipment ADD COLUMN next_try_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE shipment ADD COLUMN void_asked_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE shipment ADD COLUMN void_asked_by VARCHAR(120) DEFAULT '' NOT NULL;
ALTER TABLE shipment ADD COLUMN void_due_on DATE;
ALTER TABLE shipment ADD COLUMN void_settled_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE shipment ADD COLUMN void_words VARCHAR(300) DEFAULT '' NOT NULL;
ALTER TABLE shipment ADD COLUMN chased_at TIMESTAMP WITH TIME ZONE;
DROP INDEX ix_shipment_buying;
CREATE INDEX ix_shipment_buying ON shipment (next_try_at) WHERE state = 'buying';
CREATE INDEX ix_shipment_void_asked ON shipment (void_due_on) WHERE state = 'void_asked';
ALTER TABLE shop ADD COLUMN approve_over_minor INTEGER;
ALTER TABLE shop ADD COLUMN approve_services JSONB DEFAULT '[]'::jsonb NOT NULL;
ALTER TABLE shop ADD COLUMN low_balance_minor INTEGER DEFAULT '5000' NOT NULL;
ALTER TABLE shop ADD COLUMN slip JSONB DEFAULT '{}'::jsonb NOT NULL;
ALTER TABLE shop ADD COLUMN logo BYTEA;
DROP INDEX uq_shipment_live;
CREATE UNIQUE INDEX uq_shipment_live ON shipment (order_id) WHERE state in ('buying', 'bought');
update shipment set next_try_at = asked_at where state = 'buying';
ALTER TABLE batch ADD CONSTRAINT ck_batch_state CHECK (state in ('filling', 'asked', 'archived'));
ALTER TABLE shipment ADD CONSTRAINT ck_shipment_payer CHECK (payer in ('balance', 'account', 'elsewhere'));
ALTER TABLE shipment ADD CONSTRAINT ck_shipment_void CHECK ((state in ('void_asked', 'voided', 'void_refused')) = (void_asked_at is not null));
ALTER TABLE shipment ADD CONSTRAINT ck_shipment_bought CHECK (state in ('buying', 'failed') or bought_at is not null);
insert into ledger_account (code, balance_minor) values ('owed', 0);
alter table ledger_line disable trigger ledger_line_final;
update ledger_line set balance_after = run.total from (select id, sum(amount_minor) over (partition by account order by id) as total from ledger_line) run where run.id = ledger_line.id;
alter table ledger_line enable trigger ledger_line_final;
drop trigger ledger_line_post on ledger_line;
create or replace function ledger_line_post() returns trigger language plpgsql as $$
begin
update ledger_account set balance_minor = balance_minor + new.amount_minor where code = new.account
returning balance_minor into new.balance_after;
return new;
end $$;
create trigger ledger_line_post before insert on ledger_line for each row execute function ledger_line_post();
create function ledger_account_guard() returns trigger language plpgsql as $$
begin
if pg_trigger_depth() < 2 then
raise exception 'balances follow from ledger lines alone' using errcode = 'restrict_violation';
end if;
return new;
end $$;
create trigger ledger_account_guard before update or delete on ledger_account for each row execute function ledger_account_guard();
create function shipment_is_paid() returns trigger language plpgsql as $$
declare held bigint; postage bigint; expected bigint; paid bigint;
begin
select coalesce(sum(l.amount_minor) filter (where l.account = 'held'), 0),
coalesce(sum(l.amount_minor) filter (where l.account = 'postage'), 0),
coalesce(sum(l.amount_minor) filter (where l.account = 'expected'), 0)
into held, postage, expected
from ledger_line l join ledger_entry e on e.id = l.entry_id where e.shipment_id = new.id;
paid := case when new.payer = 'elsewhere' then 0 else new.price_minor end;
if (select state from shipment where id = new.id) <> new.state then return null; end if;
if new.state <> 'buying' and held <> 0
or new.state = 'bought' and postage <> paid
or new.state = 'failed' and postage <> 0
or new.state = 'voided' and expected <> 0 then
raise exception 'shipment % is %, its ledger says held %, postage %, expected %',
new.id, new.state, held, postage, expected using errcode = 'check_violation';
end if;
return null;
end $$;
create constraint trigger shipment_is_paid after update of state on shipment deferrable initially deferred for each row execute function shipment_is_paid();

-- 0006: Plans that know until when they are good, and what the rules saw, so that less is planned anew.
ALTER TABLE customer_order ADD COLUMN rule_facts JSONB DEFAULT '{}'::jsonb NOT NULL;
ALTER TABLE customer_order ADD COLUMN good_until TIMESTAMP WITH TIME ZONE;
CREATE INDEX ix_customer_order_good_until ON customer_order (good_until) WHERE good_until is not null;
ALTER TABLE work ADD COLUMN scope JSONB DEFAULT '{}'::jsonb NOT NULL;
ALTER TABLE shop ADD COLUMN planned_on DATE;
alter table customer_order set (fillfactor = 60);
alter table customer_order alter column plan set compression lz4;
alter table customer_order alter column imported set compression lz4;

-- 0007: Several accounts with a carrier; what a shipment is bought on; cover from an insurer.
ALTER TABLE carrier_account RENAME TO carrier;
alter sequence carrier_account_id_seq rename to carrier_id_seq;
alter table carrier rename constraint pk_carrier_account to pk_carrier;
alter table carrier rename constraint uq_carrier_account_code to uq_carrier_code;
CREATE TABLE carrier_account (id BIGSERIAL NOT NULL, carrier_id BIGINT NOT NULL, number VARCHAR(40) NOT NULL, name VARCHAR(80) NOT NULL, discounts_bp JSONB NOT NULL, services_off JSONB NOT NULL, payer VARCHAR(20) NOT NULL, active BOOLEAN NOT NULL, CONSTRAINT pk_carrier_account PRIMARY KEY (id), CONSTRAINT ck_carrier_account_payer CHECK (payer in ('balance', 'account')), CONSTRAINT fk_carrier_account_carrier_id FOREIGN KEY(carrier_id) REFERENCES carrier (id) ON DELETE CASCADE, CONSTRAINT uq_carrier_account_carrier_id_number UNIQUE (carrier_id, number));
CREATE INDEX ix_carrier_account_carrier_id ON carrier_account (carrier_id);
insert into carrier_account (carrier_id, number, name, discounts_bp, services_off, payer, active) select id, account_number, '', discounts_bp, services_off, payer, true from carrier order by id;
ALTER TABLE carrier DROP COLUMN account_number;
ALTER TABLE carrier DROP COLUMN discounts_bp;
ALTER TABLE carrier DROP COLUMN services_off;
ALTER TABLE carrier DROP COLUMN payer;
ALTER TABLE rate_card RENAME account_id TO carrier_id;
alter index ix_rate_card_account_id rename to ix_rate_card_carrier_id;
alter table rate_card rename constraint fk_rate_card_account_id to fk_rate_card_carrier_id;
alter table rate_card rename constraint uq_rate_card_account_id_valid_from to uq_rate_card_carrier_id_valid_from;
ALTER TABLE shipment ADD COLUMN account VARCHAR(40) DEFAULT '' NOT NULL;
ALTER TABLE shipment ALTER COLUMN account DROP DEFAULT;
ALTER TABLE shipment ADD COLUMN premium_minor INTEGER DEFAULT '0' NOT NULL;
ALTER TABLE shipment ALTER COLUMN premium_minor DROP DEFAULT;
insert into ledger_account (code, balance_minor) values ('cover', 0);
ALTER TABLE shop ADD COLUMN cover JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE shop ALTER COLUMN cover DROP DEFAULT;

-- 0008: An order stands in one place with one meaning; who works on what is presence; a print knows its labels.
update customer_order set state_by = 'join' where state = 'shipped' and joined_to is not null;
update customer_order set state_by = '' where state = 'shipped' and joined_to is null;
update customer_order set state = 'held' where state = 'left_out' and state_by = 'join';
update customer_order set state_by = '', state_why = '' where state = 'open';
update customer_order set state_by = 'channel' where state = 'cancelled';
update customer_order set state_by = 'person' where state = 'held' and state_by = '';
update customer_order set state_by = 'channel' where state = 'left_out' and state_by in ('', 'person');
ALTER TABLE customer_order ADD CONSTRAINT ck_customer_order_standing CHECK ((state, state_by) in (('open', ''), ('held', 'person'), ('held', 'rule'), ('held', 'channel'), ('left_out', 'rule'), ('left_out', 'channel'), ('cancelled', 'channel'), ('held', 'join'), ('shipped', ''), ('shipped', 'join')));
ALTER TABLE print_job ADD COLUMN shipment_ids JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE print_job ALTER COLUMN shipment_ids DROP DEFAULT;
ALTER TABLE claim RENAME TO presence;
alter table presence rename constraint pk_claim to pk_presence;
alter table presence rename constraint fk_claim_person_id to fk_presence_person_id;
alter index ix_claim_person_id rename to ix_presence_person_id;

-- 0009: The policy that weighs price against days is called balanced.
update shop set policy = 'balanced' where policy = 'best_value';

-- 0010: Workers share a long piece of work: who has taken which orders of it is kept with it.
ALTER TABLE work ADD COLUMN shares JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE work ALTER COLUMN shares DROP DEFAULT;

-- 0011: A purchase that was given up is looked after until its carrier can no longer sell it.
ALTER TABLE shipment ADD COLUMN watched_until TIMESTAMP WITH TIME ZONE;
ALTER TABLE shipment ADD COLUMN late_sale VARCHAR(300) DEFAULT '' NOT NULL;
ALTER TABLE shipment ALTER COLUMN late_sale DROP DEFAULT;
CREATE INDEX ix_shipment_watched ON shipment (next_try_at) WHERE watched_until is not null;

-- 0012: Indexes that no question needs whole are narrowed: every order that comes in had to be written into each.
ALTER TABLE customer_order DROP CONSTRAINT uq_customer_order_channel_id_number;
ALTER TABLE customer_order ADD CONSTRAINT uq_customer_order_number_channel_id UNIQUE (number, channel_id);
DROP INDEX ix_customer_order_number;
DROP INDEX ix_customer_order_channel_id;
DROP INDEX ix_customer_order_import_id;
CREATE INDEX ix_customer_order_import_id ON customer_order (import_id) WHERE import_id is not null;
DROP INDEX ix_customer_order_joined_to;
CREATE INDEX ix_customer_order_joined_to ON customer_order (joined_to) WHERE joined_to is not null;

-- 0013: People are invited by a link, may use a second factor, and see their sessions; keys expire and say when they were used.
ALTER TABLE person ADD COLUMN factor_sealed VARCHAR(300) DEFAULT '' NOT NULL;
ALTER TABLE person ADD COLUMN factor_step BIGINT DEFAULT '0' NOT NULL;
ALTER TABLE person ADD COLUMN seen_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE sign_in ADD COLUMN browser VARCHAR(120) DEFAULT '' NOT NULL;
ALTER TABLE sign_in ADD COLUMN seen_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE api_key ADD COLUMN reads_only BOOLEAN DEFAULT false NOT NULL;
ALTER TABLE api_key ADD COLUMN expires_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE api_key ADD COLUMN used_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE person ALTER COLUMN factor_sealed DROP DEFAULT;
ALTER TABLE person ALTER COLUMN factor_step DROP DEFAULT;
ALTER TABLE sign_in ALTER COLUMN browser DROP DEFAULT;
ALTER TABLE api_key ALTER COLUMN reads_only DROP DEFAULT;
CREATE TABLE door_link (id BIGSERIAL NOT NULL, token_hash VARCHAR(64) NOT NULL, person_id BIGINT NOT NULL, expires_at TIMESTAMP WITH TIME ZONE NOT NULL, CONSTRAINT pk_door_link PRIMARY KEY (id), CONSTRAINT fk_door_link_person_id FOREIGN KEY(person_id) REFERENCES person (id) ON DELETE CASCADE, CONSTRAINT uq_door_link_token_hash UNIQUE (token_hash));
CREATE INDEX ix_door_link_person_id ON door_link (person_id);

-- 0014: What people look for among many orders is found by an index: the newest sent, each word of a search, each view's count.
ALTER TABLE customer_order ADD COLUMN newest_shipment_id BIGINT DEFAULT '0' NOT NULL;
update customer_order o set newest_shipment_id = s.newest from (select order_id, max(id) as newest from shipment group by 1) s where s.order_id = o.id;
ALTER TABLE customer_order ALTER COLUMN newest_shipment_id DROP DEFAULT;
CREATE INDEX ix_customer_order_shipped ON customer_order (newest_shipment_id, id) WHERE state in ('shipped', 'part_shipped');
CREATE INDEX ix_customer_order_view ON customer_order (state, snag_level);
CREATE INDEX ix_label_tracking_number_parts ON label USING gin (tracking_number gin_trgm_ops);
CREATE INDEX ix_shipment_late_sale ON shipment (asked_at) WHERE late_sale <> '';
CREATE INDEX ix_customer_order_departing ON customer_order (carrier, network) WHERE state = 'open';

-- 0015: What a channel says afterwards: what its state means with each difference, and orders that are kept aside.
ALTER TABLE order_difference ADD COLUMN fate JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE order_difference ALTER COLUMN fate DROP DEFAULT;
ALTER TABLE order_difference DROP CONSTRAINT ck_order_difference_state;
ALTER TABLE order_difference ADD CONSTRAINT ck_order_difference_state CHECK (state in ('waiting', 'taken', 'refused', 'withdrawn'));
CREATE TABLE channel_aside (id BIGSERIAL NOT NULL, channel_id BIGINT NOT NULL, number VARCHAR(60) NOT NULL, kind VARCHAR(20) NOT NULL, stage VARCHAR(60) NOT NULL, why VARCHAR(300) NOT NULL, body JSONB NOT NULL, cursor VARCHAR(200) NOT NULL, at TIMESTAMP WITH TIME ZONE NOT NULL, CONSTRAINT pk_channel_aside PRIMARY KEY (id), CONSTRAINT uq_channel_aside_channel_id_number UNIQUE (channel_id, number), CONSTRAINT ck_channel_aside_kind CHECK (kind in ('ignored', 'unreadable')), CONSTRAINT fk_channel_aside_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id) ON DELETE CASCADE);
ALTER TABLE import_file ADD COLUMN changed INTEGER DEFAULT '0' NOT NULL;
ALTER TABLE import_file ALTER COLUMN changed DROP DEFAULT;
ALTER TABLE import_file ADD COLUMN reading JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE import_file ALTER COLUMN reading DROP DEFAULT;
ALTER TABLE import_file ADD COLUMN data BYTEA DEFAULT ''::bytea NOT NULL;
ALTER TABLE import_file ALTER COLUMN data DROP DEFAULT;
ALTER TABLE product ADD COLUMN not_stackable BOOLEAN DEFAULT false NOT NULL;
ALTER TABLE product ALTER COLUMN not_stackable DROP DEFAULT;
ALTER TABLE rate_card ADD COLUMN shortened BOOLEAN DEFAULT false NOT NULL;
ALTER TABLE rate_card ALTER COLUMN shortened DROP DEFAULT;
update rate_card c set shortened = true from rate_card n where n.carrier_id = c.carrier_id and n.valid_from = c.valid_until + 1;
update contact set search = replace(replace(regexp_replace(normalize(lower(search), NFKD), '[̀-ͯ]', '', 'g'), 'ß', 'ss'), 'ø', 'o');
update customer_order set search = replace(replace(regexp_replace(normalize(lower(case when part_of is null then search else number || ' ' || search end), NFKD), '[̀-ͯ]', '', 'g'), 'ß', 'ss'), 'ø', 'o');
CREATE INDEX ix_customer_order_part_of ON customer_order (part_of) WHERE part_of is not null;

-- 0016: Carriers that a shop adds by itself: by a price list with numbers of its own, or by the open protocol.
ALTER TABLE carrier ADD COLUMN kind VARCHAR(20) DEFAULT 'protocol' NOT NULL;
ALTER TABLE carrier ALTER COLUMN kind DROP DEFAULT;
ALTER TABLE carrier ADD COLUMN key_sealed VARCHAR(1000) DEFAULT '' NOT NULL;
ALTER TABLE carrier ALTER COLUMN key_sealed DROP DEFAULT;
ALTER TABLE carrier ADD COLUMN states JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE carrier ALTER COLUMN states DROP DEFAULT;
ALTER TABLE carrier ADD COLUMN removed_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE carrier ADD CONSTRAINT ck_carrier_kind CHECK (kind in ('list', 'protocol'));
CREATE TABLE number_range (id BIGSERIAL NOT NULL, carrier_id BIGINT NOT NULL, kind VARCHAR(20) NOT NULL, prefix VARCHAR(20) NOT NULL, country VARCHAR(2) NOT NULL, digits INTEGER NOT NULL, check_digit BOOLEAN NOT NULL, first BIGINT NOT NULL, last BIGINT NOT NULL, next BIGINT NOT NULL, warn_at INTEGER NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_number_range PRIMARY KEY (id), CONSTRAINT ck_number_range_kind CHECK (kind in ('s10', 'sscc', 'counter')), CONSTRAINT ck_number_range_serials CHECK (first >= 0 and first <= last and next between first and last + 1), CONSTRAINT fk_number_range_carrier_id FOREIGN KEY(carrier_id) REFERENCES carrier (id));
CREATE INDEX ix_number_range_carrier_id ON number_range (carrier_id);
CREATE TABLE own_sale (id BIGSERIAL NOT NULL, carrier_id BIGINT NOT NULL, key VARCHAR(60) NOT NULL, numbers JSONB NOT NULL, price_minor INTEGER NOT NULL, cancelled BOOLEAN NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_own_sale PRIMARY KEY (id), CONSTRAINT fk_own_sale_carrier_id FOREIGN KEY(carrier_id) REFERENCES carrier (id), CONSTRAINT uq_own_sale_key UNIQUE (key));
CREATE INDEX ix_own_sale_carrier_id ON own_sale (carrier_id);
ALTER TABLE shop ADD COLUMN mail_server JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE shop ALTER COLUMN mail_server DROP DEFAULT;

-- 0017: Printers that a shop adds by itself, and prints that a printer has taken but not printed yet.
ALTER TABLE printer ADD COLUMN kind VARCHAR(20) DEFAULT 'server' NOT NULL;
ALTER TABLE printer ALTER COLUMN kind DROP DEFAULT;
ALTER TABLE printer ADD COLUMN facts JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE printer ALTER COLUMN facts DROP DEFAULT;
ALTER TABLE printer ADD COLUMN failure VARCHAR(300) DEFAULT '' NOT NULL;
ALTER TABLE printer ALTER COLUMN failure DROP DEFAULT;
ALTER TABLE print_job ADD COLUMN paper VARCHAR(20) DEFAULT '' NOT NULL;
ALTER TABLE print_job ALTER COLUMN paper DROP DEFAULT;
ALTER TABLE print_job ADD COLUMN ref VARCHAR(40) DEFAULT '' NOT NULL;
ALTER TABLE print_job ALTER COLUMN ref DROP DEFAULT;
ALTER TABLE printer ADD COLUMN seen_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE printer ADD CONSTRAINT ck_printer_kind CHECK (kind in ('ipp', 'server'));
ALTER TABLE print_job DROP CONSTRAINT ck_print_job_state;
ALTER TABLE print_job ADD CONSTRAINT ck_print_job_state CHECK (state in ('waiting', 'taken', 'printed', 'in_doubt', 'cancelled'));
DROP INDEX ix_print_job_due;
CREATE INDEX ix_print_job_due ON print_job (next_at) WHERE state in ('waiting', 'taken');

-- 0018: Orders from files that are fetched, days on which the shop is closed, a sender for each channel, an SMS gateway.
ALTER TABLE shop ADD COLUMN closed JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE shop ALTER COLUMN closed DROP DEFAULT;
ALTER TABLE shop ADD COLUMN sms_gateway JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE shop ALTER COLUMN sms_gateway DROP DEFAULT;
ALTER TABLE channel ADD COLUMN mail_from VARCHAR(200) DEFAULT '' NOT NULL;
ALTER TABLE channel ALTER COLUMN mail_from DROP DEFAULT;
CREATE TABLE feed (id BIGSERIAL NOT NULL, channel_id BIGINT NOT NULL, person_id BIGINT NOT NULL, kind VARCHAR(20) NOT NULL, address VARCHAR(300) NOT NULL, header VARCHAR(60) NOT NULL, secret_sealed VARCHAR(10000) NOT NULL, host_key VARCHAR(2000) NOT NULL, mapping JSONB NOT NULL, weight_unit VARCHAR(4) NOT NULL, every_minutes INTEGER NOT NULL, active BOOLEAN NOT NULL, looked_at TIMESTAMP WITH TIME ZONE, fetched_at TIMESTAMP WITH TIME ZONE, failure VARCHAR(300) NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_feed PRIMARY KEY (id), CONSTRAINT ck_feed_kind CHECK (kind in ('http', 'folder', 'sftp')), CONSTRAINT ck_feed_every CHECK (every_minutes between 1 and 1440), CONSTRAINT fk_feed_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id), CONSTRAINT fk_feed_person_id FOREIGN KEY(person_id) REFERENCES person (id));
CREATE INDEX ix_feed_person_id ON feed (person_id);
CREATE INDEX ix_feed_channel_id ON feed (channel_id);
ALTER TABLE import_file ADD COLUMN feed_id BIGINT;
ALTER TABLE import_file ADD CONSTRAINT fk_import_file_feed_id FOREIGN KEY(feed_id) REFERENCES feed (id) ON DELETE SET NULL;
ALTER TABLE import_file ADD COLUMN channel_id BIGINT;
ALTER TABLE import_file ADD CONSTRAINT fk_import_file_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id);
CREATE INDEX ix_import_file_channel_id ON import_file (channel_id);
CREATE INDEX ix_import_file_feed ON import_file (feed_id, digest);

-- 0019: Pickups, manifests and the driver's count; each label knows the departure it goes with.
ALTER TABLE departure ADD COLUMN brought BOOLEAN DEFAULT false NOT NULL;
ALTER TABLE departure ADD COLUMN handed_over_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE departure ADD COLUMN handed_over_by VARCHAR(120) DEFAULT '' NOT NULL;
ALTER TABLE departure ADD COLUMN driver VARCHAR(120) DEFAULT '' NOT NULL;
ALTER TABLE departure ADD COLUMN signature TEXT DEFAULT '' NOT NULL;
update departure set state = 'handed_over', handed_over_at = cutoff_at where state = 'handed_over' or day < current_date;
ALTER TABLE label ADD COLUMN departure_id BIGINT;
update label set departure_id = s.departure_id from shipment s where s.id = label.shipment_id;
ALTER TABLE label ALTER COLUMN departure_id SET NOT NULL;
ALTER TABLE label ADD CONSTRAINT fk_label_departure_id FOREIGN KEY(departure_id) REFERENCES departure (id);
CREATE INDEX ix_label_departure_id ON label (departure_id);
ALTER TABLE label ADD COLUMN counted_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE label ADD COLUMN handed_over_at TIMESTAMP WITH TIME ZONE;
update label set handed_over_at = d.cutoff_at from departure d where d.id = label.departure_id and d.state = 'handed_over';
ALTER TABLE shipment DROP COLUMN departure_id;
ALTER TABLE departure ADD CONSTRAINT ck_departure_handed_over CHECK (state <> 'handed_over' or handed_over_at is not null);
ALTER TABLE carrier ADD COLUMN can JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE shop ADD COLUMN calendar_key VARCHAR(43) DEFAULT '' NOT NULL;
CREATE TABLE pickup (id BIGSERIAL NOT NULL, departure_id BIGINT NOT NULL, replaces_id BIGINT, idempotency_key VARCHAR(60) NOT NULL, state VARCHAR(20) DEFAULT 'asked' NOT NULL, start TIME WITHOUT TIME ZONE NOT NULL, until TIME WITHOUT TIME ZONE NOT NULL, begins_at TIMESTAMP WITH TIME ZONE NOT NULL, ends_at TIMESTAMP WITH TIME ZONE NOT NULL, change_until TIMESTAMP WITH TIME ZONE NOT NULL, parcels INTEGER NOT NULL, classes JSONB NOT NULL, gross_g INTEGER NOT NULL, heaviest_g INTEGER DEFAULT '0' NOT NULL, longest_mm INTEGER DEFAULT '0' NOT NULL, address JSONB NOT NULL, spot VARCHAR(120) DEFAULT '' NOT NULL, note VARCHAR(300) DEFAULT '' NOT NULL, contact VARCHAR(120) DEFAULT '' NOT NULL, phone VARCHAR(40) DEFAULT '' NOT NULL, manifest VARCHAR(40) DEFAULT '' NOT NULL, fee_minor INTEGER DEFAULT '0' NOT NULL, payer VARCHAR(20) NOT NULL, account VARCHAR(40) DEFAULT '' NOT NULL, confirmation VARCHAR(60) DEFAULT '' NOT NULL, words VARCHAR(300) DEFAULT '' NOT NULL, asked_by VARCHAR(120) NOT NULL, asked_at TIMESTAMP WITH TIME ZONE NOT NULL, cancelled_by VARCHAR(120) DEFAULT '' NOT NULL, answer VARCHAR(300) DEFAULT '' NOT NULL, settled_at TIMESTAMP WITH TIME ZONE, attempts INTEGER DEFAULT '0' NOT NULL, next_try_at TIMESTAMP WITH TIME ZONE, chased_at TIMESTAMP WITH TIME ZONE, chased_by VARCHAR(120) DEFAULT '' NOT NULL, calendar_key VARCHAR(43) NOT NULL, CONSTRAINT pk_pickup PRIMARY KEY (id), CONSTRAINT ck_pickup_state CHECK (state in ('asked', 'booked', 'refused', 'cancelling', 'cancelled', 'done', 'missed')), CONSTRAINT ck_pickup_figures CHECK (fee_minor >= 0 and parcels >= 0 and gross_g >= 0), CONSTRAINT ck_pickup_payer CHECK (payer in ('balance', 'account')), CONSTRAINT fk_pickup_departure_id FOREIGN KEY(departure_id) REFERENCES departure (id), CONSTRAINT fk_pickup_replaces_id FOREIGN KEY(replaces_id) REFERENCES pickup (id), CONSTRAINT uq_pickup_idempotency_key UNIQUE (idempotency_key), CONSTRAINT uq_pickup_calendar_key UNIQUE (calendar_key));
CREATE INDEX ix_pickup_departure_id ON pickup (departure_id);
CREATE INDEX ix_pickup_asked_at ON pickup (asked_at);
CREATE UNIQUE INDEX uq_pickup_asked ON pickup (departure_id) WHERE state = 'asked';
CREATE UNIQUE INDEX uq_pickup_booked ON pickup (departure_id) WHERE state in ('booked', 'cancelling');
CREATE INDEX ix_pickup_open_missed ON pickup (id) WHERE state = 'missed' and settled_at is null;
CREATE INDEX ix_pickup_due ON pickup (next_try_at) WHERE state in ('asked', 'booked', 'cancelling');
CREATE TABLE standing_pickup (id BIGSERIAL NOT NULL, carrier VARCHAR(30) NOT NULL, network VARCHAR(30) NOT NULL, weekdays JSONB NOT NULL, start TIME WITHOUT TIME ZONE, until TIME WITHOUT TIME ZONE, paused BOOLEAN DEFAULT false NOT NULL, asked_for DATE, created_by VARCHAR(120) NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_standing_pickup PRIMARY KEY (id), CONSTRAINT uq_standing_pickup_carrier_network UNIQUE (carrier, network));
CREATE TABLE manifest (id BIGSERIAL NOT NULL, departure_id BIGINT NOT NULL, number VARCHAR(40) NOT NULL, idempotency_key VARCHAR(60) NOT NULL, lines JSONB NOT NULL, gross_g INTEGER NOT NULL, closed_by VARCHAR(120) NOT NULL, closed_at TIMESTAMP WITH TIME ZONE NOT NULL, reopened_by VARCHAR(120) DEFAULT '' NOT NULL, reopened_at TIMESTAMP WITH TIME ZONE, told VARCHAR(20) DEFAULT 'unasked' NOT NULL, words VARCHAR(300) DEFAULT '' NOT NULL, attempts INTEGER DEFAULT '0' NOT NULL, next_try_at TIMESTAMP WITH TIME ZONE, CONSTRAINT pk_manifest PRIMARY KEY (id), CONSTRAINT ck_manifest_told CHECK (told in ('unasked', 'asked', 'told', 'refused')), CONSTRAINT fk_manifest_departure_id FOREIGN KEY(departure_id) REFERENCES departure (id), CONSTRAINT uq_manifest_number UNIQUE (number), CONSTRAINT uq_manifest_idempotency_key UNIQUE (idempotency_key));
CREATE INDEX ix_manifest_departure_id ON manifest (departure_id);
CREATE UNIQUE INDEX uq_manifest_standing ON manifest (departure_id) WHERE reopened_at is null;
CREATE INDEX ix_manifest_due ON manifest (next_try_at) WHERE told = 'asked';
insert into ledger_account (code, balance_minor) values ('pickups', 0);
ALTER TABLE ledger_entry ADD COLUMN pickup_id BIGINT;
ALTER TABLE ledger_entry ADD CONSTRAINT fk_ledger_entry_pickup_id FOREIGN KEY(pickup_id) REFERENCES pickup (id);
CREATE INDEX ix_ledger_entry_pickup_id ON ledger_entry (pickup_id);

-- 0020: The packing bench, serial numbers, sets made of parts, badges, pictures, how many boxes are left.
ALTER TABLE packaging ADD COLUMN stock INTEGER;
ALTER TABLE packaging ADD COLUMN low_at INTEGER DEFAULT '0' NOT NULL;
ALTER TABLE packaging ALTER COLUMN low_at DROP DEFAULT;
ALTER TABLE product ADD COLUMN serial BOOLEAN DEFAULT false NOT NULL;
ALTER TABLE product ALTER COLUMN serial DROP DEFAULT;
ALTER TABLE product ADD COLUMN parts JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE product ALTER COLUMN parts DROP DEFAULT;
ALTER TABLE person ADD COLUMN badge_hash VARCHAR(64) DEFAULT '' NOT NULL;
ALTER TABLE person ALTER COLUMN badge_hash DROP DEFAULT;
ALTER TABLE shop ADD COLUMN bench JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE shop ALTER COLUMN bench DROP DEFAULT;
CREATE INDEX ix_product_barcode ON product (barcode) WHERE barcode <> '';
CREATE UNIQUE INDEX uq_person_badge ON person (badge_hash) WHERE badge_hash <> '';
CREATE TABLE bench (id BIGSERIAL NOT NULL, name VARCHAR(40) NOT NULL, packer_id BIGINT, packing_id BIGINT, said JSONB DEFAULT '{}' NOT NULL, pieces INTEGER DEFAULT '1' NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_bench PRIMARY KEY (id), CONSTRAINT uq_bench_name UNIQUE (name), CONSTRAINT fk_bench_packer_id FOREIGN KEY(packer_id) REFERENCES person (id));
CREATE TABLE packing (id BIGSERIAL NOT NULL, order_id BIGINT NOT NULL, bench_id BIGINT NOT NULL, person_id BIGINT NOT NULL, shipment_id BIGINT, state VARCHAR(20) NOT NULL, bought_here BOOLEAN NOT NULL, prints BOOLEAN NOT NULL, items JSONB DEFAULT '[]' NOT NULL, facts JSONB DEFAULT '{}' NOT NULL, steps JSONB DEFAULT '[]' NOT NULL, weights_g JSONB DEFAULT '[]' NOT NULL, mistakes INTEGER NOT NULL, words VARCHAR(300) NOT NULL, started_at TIMESTAMP WITH TIME ZONE NOT NULL, packed_at TIMESTAMP WITH TIME ZONE, CONSTRAINT pk_packing PRIMARY KEY (id), CONSTRAINT ck_packing_state CHECK (state in ('open', 'buying', 'packed', 'left', 'undone')), CONSTRAINT ck_packing_packed CHECK (state <> 'packed' or packed_at is not null), CONSTRAINT fk_packing_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id), CONSTRAINT fk_packing_bench_id FOREIGN KEY(bench_id) REFERENCES bench (id), CONSTRAINT fk_packing_person_id FOREIGN KEY(person_id) REFERENCES person (id), CONSTRAINT fk_packing_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id));
CREATE INDEX ix_packing_person_id ON packing (person_id);
CREATE INDEX ix_packing_shipment_id ON packing (shipment_id);
CREATE INDEX ix_packing_order_id ON packing (order_id);
CREATE INDEX ix_packing_bench_id ON packing (bench_id);
CREATE UNIQUE INDEX uq_packing_holds ON packing (order_id) WHERE state in ('open', 'buying');
CREATE INDEX ix_packing_buying ON packing (id) WHERE state = 'buying';
CREATE INDEX ix_packing_packed_at ON packing (packed_at);
CREATE TABLE bench_scan (id BIGSERIAL NOT NULL, bench_id BIGINT NOT NULL, packing_id BIGINT, person_id BIGINT NOT NULL, at TIMESTAMP WITH TIME ZONE NOT NULL, code VARCHAR(120) NOT NULL, client_key VARCHAR(40), verdict VARCHAR(20) NOT NULL, CONSTRAINT pk_bench_scan PRIMARY KEY (id), CONSTRAINT fk_bench_scan_bench_id FOREIGN KEY(bench_id) REFERENCES bench (id), CONSTRAINT fk_bench_scan_packing_id FOREIGN KEY(packing_id) REFERENCES packing (id), CONSTRAINT fk_bench_scan_person_id FOREIGN KEY(person_id) REFERENCES person (id), CONSTRAINT uq_bench_scan_client_key UNIQUE (client_key));
CREATE INDEX ix_bench_scan_bench_id ON bench_scan (bench_id);
CREATE INDEX ix_bench_scan_at ON bench_scan (at);
CREATE INDEX ix_bench_scan_packing_id ON bench_scan (packing_id);
CREATE INDEX ix_bench_scan_person_id ON bench_scan (person_id);
CREATE TABLE serial_number (id BIGSERIAL NOT NULL, packing_id BIGINT NOT NULL, sku VARCHAR(60) NOT NULL, number VARCHAR(60) NOT NULL, CONSTRAINT pk_serial_number PRIMARY KEY (id), CONSTRAINT fk_serial_number_packing_id FOREIGN KEY(packing_id) REFERENCES packing (id) ON DELETE CASCADE);
CREATE INDEX ix_serial_number_number ON serial_number (number);
CREATE INDEX ix_serial_number_packing_id ON serial_number (packing_id);
CREATE TABLE photo (id BIGSERIAL NOT NULL, packing_id BIGINT NOT NULL, person_id BIGINT NOT NULL, at TIMESTAMP WITH TIME ZONE NOT NULL, picture BYTEA NOT NULL, small BYTEA NOT NULL, CONSTRAINT pk_photo PRIMARY KEY (id), CONSTRAINT fk_photo_packing_id FOREIGN KEY(packing_id) REFERENCES packing (id) ON DELETE CASCADE, CONSTRAINT fk_photo_person_id FOREIGN KEY(person_id) REFERENCES person (id));
CREATE INDEX ix_photo_person_id ON photo (person_id);
CREATE INDEX ix_photo_packing_id ON photo (packing_id);

-- 0021: What a bench packed today is found among all that it ever packed.
DROP INDEX ix_packing_bench_id;
CREATE INDEX ix_packing_bench_id ON packing (bench_id, started_at);

-- 0022: Drop-off points, which departures are brought to, and where places lie on earth.
CREATE TABLE drop_off_point (id BIGSERIAL NOT NULL, carrier VARCHAR(30) NOT NULL, code VARCHAR(40) NOT NULL, name VARCHAR(120) NOT NULL, kind VARCHAR(20) NOT NULL, street VARCHAR(120) NOT NULL, postcode VARCHAR(20) NOT NULL, city VARCHAR(80) NOT NULL, country VARCHAR(2) NOT NULL, latitude_e6 INTEGER, longitude_e6 INTEGER, hours VARCHAR(300) NOT NULL, heaviest_g INTEGER NOT NULL, longest_mm INTEGER NOT NULL, "full" BOOLEAN NOT NULL, learned_from VARCHAR(80) NOT NULL, learned_at TIMESTAMP WITH TIME ZONE NOT NULL, CONSTRAINT pk_drop_off_point PRIMARY KEY (id), CONSTRAINT uq_drop_off_point_carrier_code UNIQUE (carrier, code), CONSTRAINT ck_drop_off_point_spot CHECK ((latitude_e6 is null) = (longitude_e6 is null)));
ALTER TABLE departure ADD COLUMN point_id BIGINT;
ALTER TABLE departure ADD CONSTRAINT fk_departure_point_id FOREIGN KEY(point_id) REFERENCES drop_off_point (id) ON DELETE SET NULL;
CREATE INDEX ix_departure_point_id ON departure (point_id);
ALTER TABLE place ADD COLUMN latitude_e6 INTEGER;
ALTER TABLE place ADD COLUMN longitude_e6 INTEGER;

-- 0023: What shoppers are offered: offers and rate tables, in versions.
CREATE TABLE checkout_version (id BIGSERIAL NOT NULL, body JSONB NOT NULL, note VARCHAR(200) NOT NULL, person_id BIGINT, holds_from TIMESTAMP WITH TIME ZONE NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_checkout_version PRIMARY KEY (id), CONSTRAINT fk_checkout_version_person_id FOREIGN KEY(person_id) REFERENCES person (id));
CREATE INDEX ix_checkout_version_person_id ON checkout_version (person_id);
CREATE INDEX ix_checkout_version_holds_from ON checkout_version (holds_from);

-- 0024: A count that rises with every change that a price at the checkout depends on.
CREATE TABLE checkout_stamp (id BIGSERIAL NOT NULL, changes BIGINT NOT NULL, CONSTRAINT pk_checkout_stamp PRIMARY KEY (id));
insert into checkout_stamp (id, changes) values (1, 1);

-- 0025: Carriers' packaging that was ordered from them.
CREATE TABLE packaging_order (id BIGSERIAL NOT NULL, carrier VARCHAR(30) NOT NULL, idempotency_key VARCHAR(60) NOT NULL, state VARCHAR(20) NOT NULL, pieces JSONB NOT NULL, confirmation VARCHAR(60) NOT NULL, arrives DATE, words VARCHAR(300) NOT NULL, asked_by VARCHAR(120) NOT NULL, asked_at TIMESTAMP WITH TIME ZONE NOT NULL, attempts INTEGER NOT NULL, next_try_at TIMESTAMP WITH TIME ZONE, CONSTRAINT pk_packaging_order PRIMARY KEY (id), CONSTRAINT ck_packaging_order_state CHECK (state in ('asked', 'confirmed', 'refused', 'arrived')), CONSTRAINT uq_packaging_order_idempotency_key UNIQUE (idempotency_key));

-- 0026: What a key is for and how much it may ask; what an order was offered; baskets kept for trying.
ALTER TABLE api_key ADD COLUMN scope VARCHAR(20) DEFAULT 'all' NOT NULL;
ALTER TABLE api_key ADD COLUMN per_minute INTEGER DEFAULT '3000' NOT NULL;
ALTER TABLE api_key ADD CONSTRAINT ck_api_key_scope CHECK (scope in ('all', 'checkout'));
ALTER TABLE api_key ADD CONSTRAINT ck_api_key_per_minute CHECK (per_minute > 0);
CREATE TABLE allowance (name VARCHAR(80) NOT NULL, minute BIGINT NOT NULL, taken INTEGER NOT NULL, CONSTRAINT pk_allowance PRIMARY KEY (name));
ALTER TABLE customer_order ADD COLUMN offer VARCHAR(120) DEFAULT '' NOT NULL;
CREATE INDEX ix_customer_order_offer ON customer_order (offer) WHERE offer <> '';
CREATE TABLE checkout_case (id BIGSERIAL NOT NULL, name VARCHAR(80) NOT NULL, basket JSONB NOT NULL, seen JSONB NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_checkout_case PRIMARY KEY (id), CONSTRAINT uq_checkout_case_name UNIQUE (name));

-- 0027: Where each parcel stands, what its carrier said word for word, and what was done about it.
ALTER TABLE tracking_event ADD COLUMN event_id VARCHAR(80) DEFAULT '' NOT NULL;
ALTER TABLE tracking_event ADD COLUMN takes_back VARCHAR(80) DEFAULT '' NOT NULL;
ALTER TABLE tracking_event ADD COLUMN code VARCHAR(40) DEFAULT '' NOT NULL;
ALTER TABLE tracking_event ADD COLUMN reason VARCHAR(20) DEFAULT '' NOT NULL;
ALTER TABLE tracking_event ADD COLUMN heard_at TIMESTAMP WITH TIME ZONE;
CREATE INDEX ix_tracking_event_unknown ON tracking_event (code) WHERE state = '';
ALTER TABLE label ADD COLUMN tracking_state VARCHAR(30) DEFAULT 'announced' NOT NULL;
ALTER TABLE label ADD COLUMN tracking_since TIMESTAMP WITH TIME ZONE;
ALTER TABLE label ADD COLUMN tracking_reason VARCHAR(20) DEFAULT '' NOT NULL;
ALTER TABLE label ADD COLUMN last_event_at TIMESTAMP WITH TIME ZONE;
update label set tracking_state = s.tracking_state from shipment s where s.id = label.shipment_id;
CREATE INDEX ix_label_under_way ON label (shipment_id) WHERE tracking_state not in ('announced', 'delivered', 'returned');
CREATE TABLE parcel_deed (id BIGSERIAL NOT NULL, shipment_id BIGINT NOT NULL, at TIMESTAMP WITH TIME ZONE NOT NULL, who VARCHAR(120) NOT NULL, kind VARCHAR(20) NOT NULL, trouble VARCHAR(20) NOT NULL, words VARCHAR(2000) NOT NULL, mail_to VARCHAR(200) NOT NULL, CONSTRAINT pk_parcel_deed PRIMARY KEY (id), CONSTRAINT fk_parcel_deed_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id) ON DELETE cascade);
CREATE INDEX ix_parcel_deed_shipment_id ON parcel_deed (shipment_id);

-- 0028: What buyers are told by which channel, to whom nothing is sent any more, and why a message did not go.
ALTER TABLE message ADD COLUMN trigger VARCHAR(20) DEFAULT '' NOT NULL;
ALTER TABLE message ADD COLUMN by VARCHAR(4) DEFAULT 'mail' NOT NULL;
ALTER TABLE message ADD COLUMN language VARCHAR(5) DEFAULT '' NOT NULL;
ALTER TABLE message ADD COLUMN not_sent VARCHAR(200) DEFAULT '' NOT NULL;
ALTER TABLE message ADD COLUMN hold VARCHAR(6) DEFAULT '' NOT NULL;
update message set trigger = 'label', kind = 'label' where kind = 'shipped';
ALTER TABLE message ADD CONSTRAINT ck_message_by CHECK (by in ('mail', 'sms'));
ALTER TABLE message ADD CONSTRAINT ck_message_hold CHECK (hold in ('', 'held', 'let_go'));
DROP INDEX ix_message_due;
CREATE INDEX ix_message_due ON message (next_at) WHERE sent_at is null and not_sent = '';
CREATE INDEX ix_message_newest ON message (created_at);
CREATE TABLE message_rules (id BIGSERIAL NOT NULL, channel_id BIGINT, body JSONB NOT NULL, version INTEGER NOT NULL, CONSTRAINT pk_message_rules PRIMARY KEY (id), CONSTRAINT fk_message_rules_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id) ON DELETE cascade);
CREATE UNIQUE INDEX uq_message_rules ON message_rules (coalesce(channel_id, 0));
CREATE TABLE blocked_address (id BIGSERIAL NOT NULL, address VARCHAR(200) NOT NULL, why VARCHAR(10) NOT NULL, words VARCHAR(300) NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_blocked_address PRIMARY KEY (id), CONSTRAINT ck_blocked_address_why CHECK (why in ('bounced', 'complained', 'asked', 'by_hand')), CONSTRAINT uq_blocked_address_address UNIQUE (address));
ALTER TABLE customer_order ADD COLUMN also_tell JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE customer_order ADD COLUMN own_line VARCHAR(300) DEFAULT '' NOT NULL;

-- 0029: What carriers tell by themselves, as it came; where each of them knows that it is to be told.
ALTER TABLE carrier ADD COLUMN subscribed VARCHAR(300) DEFAULT '' NOT NULL;
CREATE TABLE carrier_notice (id BIGSERIAL NOT NULL, carrier VARCHAR(30) NOT NULL, notice_id VARCHAR(100) NOT NULL, body JSONB NOT NULL, heard_at TIMESTAMP WITH TIME ZONE NOT NULL, done_at TIMESTAMP WITH TIME ZONE, failure VARCHAR(200) DEFAULT '' NOT NULL, CONSTRAINT pk_carrier_notice PRIMARY KEY (id), CONSTRAINT uq_carrier_notice_carrier_notice_id UNIQUE (carrier, notice_id));
CREATE INDEX ix_carrier_notice_waits ON carrier_notice (id) WHERE done_at is null;

-- 0030: Returns that buyers start: the shop's rules, what comes back and why, a picture, in which condition it came.
ALTER TABLE shop ADD COLUMN return_rules JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE parcel_return ADD COLUMN items JSONB DEFAULT '[]' NOT NULL;
ALTER TABLE parcel_return ADD COLUMN words VARCHAR(500) DEFAULT '' NOT NULL;
ALTER TABLE parcel_return ADD COLUMN buyer_pays BOOLEAN DEFAULT false NOT NULL;
ALTER TABLE parcel_return ADD COLUMN photo BYTEA;

-- 0031: Parcels that are followed though we did not send them: to us, or bought elsewhere.
CREATE TABLE followed_number (id BIGSERIAL NOT NULL, carrier VARCHAR(30) NOT NULL, number VARCHAR(40) NOT NULL, what VARCHAR(200) NOT NULL, tell_mail VARCHAR(200) NOT NULL, asked_by VARCHAR(120) NOT NULL, state VARCHAR(30) NOT NULL, events JSONB NOT NULL, told VARCHAR(30) NOT NULL, failure VARCHAR(200) NOT NULL, next_look_at TIMESTAMP WITH TIME ZONE, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_followed_number PRIMARY KEY (id), CONSTRAINT uq_followed_number_carrier_number UNIQUE (carrier, number));
CREATE INDEX ix_followed_number_due ON followed_number (next_look_at) WHERE next_look_at is not null;

-- 0032: Claims for parcels that were lost or damaged; for how many days a carrier takes them.
insert into ledger_account (code, balance_minor) values ('claims', 0);
ALTER TABLE carrier ADD COLUMN claim_days INTEGER;
CREATE TABLE claim (id BIGSERIAL NOT NULL, shipment_id BIGINT NOT NULL, kind VARCHAR(10) NOT NULL, state VARCHAR(10) NOT NULL, amount_minor INTEGER NOT NULL, claim_by DATE NOT NULL, opened_by VARCHAR(120) NOT NULL, opened_at TIMESTAMP WITH TIME ZONE NOT NULL, mail_to VARCHAR(200) NOT NULL, sent_at TIMESTAMP WITH TIME ZONE, paid_minor INTEGER NOT NULL, words VARCHAR(500) NOT NULL, settled_at TIMESTAMP WITH TIME ZONE, CONSTRAINT pk_claim PRIMARY KEY (id), CONSTRAINT ck_claim_state CHECK (state in ('open', 'sent', 'paid', 'refused', 'dropped')), CONSTRAINT ck_claim_kind CHECK (kind in ('lost', 'damaged')), CONSTRAINT ck_claim_amounts CHECK (amount_minor > 0 and paid_minor >= 0), CONSTRAINT fk_claim_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id) ON DELETE cascade);
CREATE INDEX ix_claim_shipment_id ON claim (shipment_id);
CREATE UNIQUE INDEX uq_claim_live ON claim (shipment_id) WHERE state in ('open', 'sent', 'paid');

-- 0033: A label for the way back that was not made stays with the shop: beside it no other stands for the shipment.
update parcel_return as old set state = 'cancelled', outcome = 'asked for again' where state = 'failed' and exists (select 1 from parcel_return as new where new.shipment_id = old.shipment_id and new.id > old.id);
drop index uq_parcel_return_live;
create unique index uq_parcel_return_live on parcel_return (shipment_id) where state in ('making', 'ready', 'on_its_way', 'back', 'failed');

-- 0034: Customs: the shop's own numbers, its tables by version, and what was declared with each shipment.
ALTER TABLE shop ADD COLUMN customs_numbers JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE shop ALTER COLUMN customs_numbers DROP DEFAULT;
ALTER TABLE shipment ADD COLUMN customs JSONB DEFAULT '{}' NOT NULL;
ALTER TABLE shipment ALTER COLUMN customs DROP DEFAULT;
CREATE TABLE customs_tables (id BIGSERIAL NOT NULL, name VARCHAR(120) NOT NULL, body JSONB NOT NULL, by VARCHAR(120) NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_customs_tables PRIMARY KEY (id));

-- 0035: Customs papers are a kind of document that is printed.
ALTER TABLE print_preference DROP CONSTRAINT ck_print_preference_kind;
ALTER TABLE print_preference ADD CONSTRAINT ck_print_preference_kind CHECK (kind in ('label', 'packing_slip', 'pick_list', 'batch_summary', 'invoice', 'return_label', 'customs'));

-- 0036: Invoices that the shop made elsewhere, drawn anew page by page.
CREATE TABLE own_paper (id BIGSERIAL NOT NULL, order_id BIGINT NOT NULL, page_no INTEGER NOT NULL, picture BYTEA NOT NULL, file_name VARCHAR(120) NOT NULL, by VARCHAR(120) NOT NULL, created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL, CONSTRAINT pk_own_paper PRIMARY KEY (id), CONSTRAINT uq_own_paper_order_id_page_no UNIQUE (order_id, page_no), CONSTRAINT fk_own_paper_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id) ON DELETE cascade);
CREATE INDEX ix_own_paper_order_id ON own_paper (order_id);

-- 0037: The key that mails are signed with.
ALTER TABLE shop ADD COLUMN mail_signing JSONB DEFAULT '{}' NOT NULL;

-- 0038: Addresses of restricted parties.
ALTER TABLE restricted_party ADD COLUMN addresses JSONB DEFAULT '[]' NOT NULL;

-- 0039: Saved views of more than the work list; what customs charged in the end.
ALTER TABLE saved_view ADD COLUMN page VARCHAR(20) DEFAULT 'orders' NOT NULL;
ALTER TABLE saved_view DROP CONSTRAINT uq_saved_view_person_id_name;
ALTER TABLE saved_view ADD CONSTRAINT uq_saved_view_person_id_page_name UNIQUE (person_id, page, name);
ALTER TABLE shipment ADD COLUMN duties_charged_minor INTEGER;

-- 0040: What buyers wish of a delivery.
CREATE TABLE parcel_wish (id BIGSERIAL NOT NULL, shipment_id BIGINT NOT NULL, idempotency_key VARCHAR(60) NOT NULL, kind VARCHAR(20) NOT NULL, day DATE, words VARCHAR(120) NOT NULL, state VARCHAR(20) NOT NULL, asked_at TIMESTAMP WITH TIME ZONE NOT NULL, attempts INTEGER NOT NULL, next_at TIMESTAMP WITH TIME ZONE NOT NULL, failure VARCHAR(300) NOT NULL, CONSTRAINT pk_parcel_wish PRIMARY KEY (id), CONSTRAINT ck_parcel_wish_state CHECK (state in ('asked', 'taken', 'refused')), CONSTRAINT fk_parcel_wish_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id) ON DELETE cascade, CONSTRAINT uq_parcel_wish_idempotency_key UNIQUE (idempotency_key));
CREATE INDEX ix_parcel_wish_shipment_id ON parcel_wish (shipment_id);
CREATE UNIQUE INDEX uq_parcel_wish_standing ON parcel_wish (shipment_id) WHERE state in ('asked', 'taken');

-- 0041: The first page of the work list is read from an index, however many orders wait.
CREATE INDEX ix_customer_order_departs ON customer_order ((case when price_minor is null then '' else (((lpad((ship_date - '2000-01-01'::date)::text, 6, '0') || ' ') || coalesce(carrier, '')) || ' ') || coalesce(network, '') end), id) WHERE state = 'open';
DROP INDEX ix_customer_order_departing;
CREATE INDEX ix_customer_order_departing ON customer_order (carrier, network, ship_date, id) INCLUDE (price_minor) WHERE state = 'open';

-- 0042: How many pieces of an article are left to sell, and what channels know of it.
ALTER TABLE product ADD COLUMN stock_base INTEGER;
ALTER TABLE product ADD COLUMN stock_counted_at TIMESTAMP WITH TIME ZONE;
ALTER TABLE channel ADD COLUMN stock VARCHAR(10) DEFAULT '' NOT NULL;
ALTER TABLE channel ALTER COLUMN stock DROP DEFAULT;
ALTER TABLE channel ADD CONSTRAINT ck_channel_stock CHECK (stock in ('', 'theirs', 'ours'));
ALTER TABLE parcel_return ADD COLUMN restocked BOOLEAN DEFAULT false NOT NULL;
ALTER TABLE parcel_return ALTER COLUMN restocked DROP DEFAULT;
CREATE TABLE channel_level (channel_id BIGINT NOT NULL, sku VARCHAR(60) NOT NULL, pieces INTEGER NOT NULL, at TIMESTAMP WITH TIME ZONE NOT NULL, refused BOOLEAN NOT NULL, CONSTRAINT pk_channel_level PRIMARY KEY (channel_id, sku), CONSTRAINT fk_channel_level_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id) ON DELETE cascade);
