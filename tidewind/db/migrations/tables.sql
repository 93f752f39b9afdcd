create extension if not exists pg_trgm;

CREATE TABLE allowance (
    name VARCHAR(80) NOT NULL,
    minute BIGINT NOT NULL,
    taken INTEGER NOT NULL,
    CONSTRAINT pk_allowance PRIMARY KEY (name)
);

CREATE TABLE attempt (
    id BIGSERIAL NOT NULL,
    source VARCHAR(200) NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    CONSTRAINT pk_attempt PRIMARY KEY (id)
);
CREATE INDEX ix_attempt_source_at ON attempt (source, at);

CREATE TABLE blocked_address (
    id BIGSERIAL NOT NULL,
    address VARCHAR(200) NOT NULL,
    why VARCHAR(10) NOT NULL,
    words VARCHAR(300) NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_blocked_address PRIMARY KEY (id),
    CONSTRAINT ck_blocked_address_why CHECK (why in ('bounced', 'complained', 'asked', 'by_hand')),
    CONSTRAINT uq_blocked_address_address UNIQUE (address)
);

CREATE TABLE carrier (
    id BIGSERIAL NOT NULL,
    code VARCHAR(30) NOT NULL,
    name VARCHAR(80) NOT NULL,
    monogram VARCHAR(2) NOT NULL,
    kind VARCHAR(20) NOT NULL,
    base_url VARCHAR(200) NOT NULL,
    key_sealed VARCHAR(1000) NOT NULL,
    states JSONB NOT NULL,
    can JSONB DEFAULT '[]'::jsonb NOT NULL,
    removed_at TIMESTAMP WITH TIME ZONE,
    subscribed VARCHAR(300) DEFAULT '' NOT NULL,
    claim_days INTEGER,
    active BOOLEAN NOT NULL,
    latin_only BOOLEAN DEFAULT false NOT NULL,
    asks_prices BOOLEAN DEFAULT false NOT NULL,
    CONSTRAINT pk_carrier PRIMARY KEY (id),
    CONSTRAINT ck_carrier_kind CHECK (kind in ('list', 'protocol')),
    CONSTRAINT uq_carrier_code UNIQUE (code)
);

CREATE TABLE carrier_notice (
    id BIGSERIAL NOT NULL,
    carrier VARCHAR(30) NOT NULL,
    notice_id VARCHAR(100) NOT NULL,
    body JSONB NOT NULL,
    heard_at TIMESTAMP WITH TIME ZONE NOT NULL,
    done_at TIMESTAMP WITH TIME ZONE,
    failure VARCHAR(200) DEFAULT '' NOT NULL,
    CONSTRAINT pk_carrier_notice PRIMARY KEY (id),
    CONSTRAINT uq_carrier_notice_carrier_notice_id UNIQUE (carrier, notice_id)
);
CREATE INDEX ix_carrier_notice_waits ON carrier_notice (id) WHERE done_at is null;

CREATE TABLE channel (
    id BIGSERIAL NOT NULL,
    code VARCHAR(30) NOT NULL,
    name VARCHAR(80) NOT NULL,
    kind VARCHAR(20) NOT NULL,
    base_url VARCHAR(200) NOT NULL,
    cursor VARCHAR(200) NOT NULL,
    last_pull_at TIMESTAMP WITH TIME ZONE,
    last_pull JSONB NOT NULL,
    adapter VARCHAR(30) DEFAULT '' NOT NULL,
    state VARCHAR(20) DEFAULT 'connected' NOT NULL,
    secret_sealed VARCHAR(1000) DEFAULT '' NOT NULL,
    states JSONB DEFAULT '{}'::jsonb NOT NULL,
    payments JSONB DEFAULT '{}'::jsonb NOT NULL,
    write_back JSONB DEFAULT '{}'::jsonb NOT NULL,
    every_minutes INTEGER DEFAULT 10 NOT NULL,
    brand VARCHAR(80) DEFAULT '' NOT NULL,
    mail_from VARCHAR(200) NOT NULL,
    stock VARCHAR(10) NOT NULL,
    CONSTRAINT pk_channel PRIMARY KEY (id),
    CONSTRAINT ck_channel_stock CHECK (stock in ('', 'theirs', 'ours')),
    CONSTRAINT uq_channel_code UNIQUE (code)
);

CREATE TABLE checkout_case (
    id BIGSERIAL NOT NULL,
    name VARCHAR(80) NOT NULL,
    basket JSONB NOT NULL,
    seen JSONB NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_checkout_case PRIMARY KEY (id),
    CONSTRAINT uq_checkout_case_name UNIQUE (name)
);

CREATE TABLE checkout_stamp (
    id BIGSERIAL NOT NULL,
    changes BIGINT NOT NULL,
    CONSTRAINT pk_checkout_stamp PRIMARY KEY (id)
);

CREATE TABLE contact (
    id BIGSERIAL NOT NULL,
    code VARCHAR(30),
    address JSONB NOT NULL,
    home BOOLEAN NOT NULL,
    search VARCHAR(600) NOT NULL,
    CONSTRAINT pk_contact PRIMARY KEY (id),
    CONSTRAINT uq_contact_code UNIQUE (code)
);
CREATE INDEX ix_contact_search ON contact USING gin (search gin_trgm_ops);

CREATE TABLE customs_tables (
    id BIGSERIAL NOT NULL,
    name VARCHAR(120) NOT NULL,
    body JSONB NOT NULL,
    by VARCHAR(120) NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_customs_tables PRIMARY KEY (id)
);

CREATE TABLE drop_off_point (
    id BIGSERIAL NOT NULL,
    carrier VARCHAR(30) NOT NULL,
    code VARCHAR(40) NOT NULL,
    name VARCHAR(120) NOT NULL,
    kind VARCHAR(20) NOT NULL,
    street VARCHAR(120) NOT NULL,
    postcode VARCHAR(20) NOT NULL,
    city VARCHAR(80) NOT NULL,
    country VARCHAR(2) NOT NULL,
    latitude_e6 INTEGER,
    longitude_e6 INTEGER,
    hours VARCHAR(300) NOT NULL,
    heaviest_g INTEGER NOT NULL,
    longest_mm INTEGER NOT NULL,
    "full" BOOLEAN NOT NULL,
    learned_from VARCHAR(80) NOT NULL,
    learned_at TIMESTAMP WITH TIME ZONE NOT NULL,
    CONSTRAINT pk_drop_off_point PRIMARY KEY (id),
    CONSTRAINT uq_drop_off_point_carrier_code UNIQUE (carrier, code),
    CONSTRAINT ck_drop_off_point_spot CHECK ((latitude_e6 is null) = (longitude_e6 is null))
);

CREATE TABLE followed_number (
    id BIGSERIAL NOT NULL,
    carrier VARCHAR(30) NOT NULL,
    number VARCHAR(40) NOT NULL,
    what VARCHAR(200) NOT NULL,
    tell_mail VARCHAR(200) NOT NULL,
    asked_by VARCHAR(120) NOT NULL,
    state VARCHAR(30) NOT NULL,
    events JSONB NOT NULL,
    told VARCHAR(30) NOT NULL,
    failure VARCHAR(200) NOT NULL,
    next_look_at TIMESTAMP WITH TIME ZONE,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_followed_number PRIMARY KEY (id),
    CONSTRAINT uq_followed_number_carrier_number UNIQUE (carrier, number)
);
CREATE INDEX ix_followed_number_due ON followed_number (next_look_at) WHERE next_look_at is not null;

CREATE TABLE ledger_account (
    code VARCHAR(20) NOT NULL,
    balance_minor BIGINT NOT NULL,
    CONSTRAINT pk_ledger_account PRIMARY KEY (code),
    CONSTRAINT ck_ledger_account_in_credit CHECK (code not in ('available', 'held', 'expected') or balance_minor >= 0)
);

CREATE TABLE live_answer (
    id BIGSERIAL NOT NULL,
    carrier VARCHAR(30) NOT NULL,
    key VARCHAR(64) NOT NULL,
    asked_at TIMESTAMP WITH TIME ZONE NOT NULL,
    expires_at TIMESTAMP WITH TIME ZONE NOT NULL,
    prices JSONB DEFAULT '{}'::jsonb NOT NULL,
    refusals JSONB DEFAULT '{}'::jsonb NOT NULL,
    failure VARCHAR(300) DEFAULT '' NOT NULL,
    CONSTRAINT pk_live_answer PRIMARY KEY (id),
    CONSTRAINT uq_live_answer_carrier_key UNIQUE (carrier, key)
);
CREATE INDEX ix_live_answer_asked_at ON live_answer (asked_at);

CREATE TABLE packaging (
    id BIGSERIAL NOT NULL,
    code VARCHAR(30) NOT NULL,
    name VARCHAR(80) NOT NULL,
    inner_length INTEGER NOT NULL,
    inner_width INTEGER NOT NULL,
    inner_height INTEGER NOT NULL,
    outer_length INTEGER NOT NULL,
    outer_width INTEGER NOT NULL,
    outer_height INTEGER NOT NULL,
    own_g INTEGER NOT NULL,
    padding_g INTEGER NOT NULL,
    max_load_g INTEGER NOT NULL,
    cost_minor INTEGER NOT NULL,
    carrier VARCHAR(30),
    active BOOLEAN NOT NULL,
    holds_from_g INTEGER,
    holds_to_g INTEGER,
    stock INTEGER,
    low_at INTEGER NOT NULL,
    CONSTRAINT pk_packaging PRIMARY KEY (id),
    CONSTRAINT ck_packaging_inner CHECK (least(inner_length, inner_width, inner_height) > 0),
    CONSTRAINT ck_packaging_outer CHECK (least(outer_length, outer_width, outer_height) > 0),
    CONSTRAINT ck_packaging_figures CHECK (own_g >= 0 and padding_g >= 0 and max_load_g > 0 and cost_minor >= 0),
    CONSTRAINT uq_packaging_code UNIQUE (code)
);

CREATE TABLE packaging_order (
    id BIGSERIAL NOT NULL,
    carrier VARCHAR(30) NOT NULL,
    idempotency_key VARCHAR(60) NOT NULL,
    state VARCHAR(20) NOT NULL,
    pieces JSONB NOT NULL,
    confirmation VARCHAR(60) NOT NULL,
    arrives DATE,
    words VARCHAR(300) NOT NULL,
    asked_by VARCHAR(120) NOT NULL,
    asked_at TIMESTAMP WITH TIME ZONE NOT NULL,
    attempts INTEGER NOT NULL,
    next_try_at TIMESTAMP WITH TIME ZONE,
    CONSTRAINT pk_packaging_order PRIMARY KEY (id),
    CONSTRAINT ck_packaging_order_state CHECK (state in ('asked', 'confirmed', 'refused', 'arrived')),
    CONSTRAINT uq_packaging_order_idempotency_key UNIQUE (idempotency_key)
);

CREATE TABLE person (
    id BIGSERIAL NOT NULL,
    login VARCHAR(120) NOT NULL,
    name VARCHAR(120) NOT NULL,
    role VARCHAR(20) NOT NULL,
    password_hash VARCHAR(200) NOT NULL,
    active BOOLEAN NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    factor_sealed VARCHAR(300) NOT NULL,
    factor_step BIGINT NOT NULL,
    seen_at TIMESTAMP WITH TIME ZONE,
    badge_hash VARCHAR(64) NOT NULL,
    CONSTRAINT pk_person PRIMARY KEY (id),
    CONSTRAINT ck_person_role CHECK (role in ('owner', 'shipper', 'packer', 'care')),
    CONSTRAINT uq_person_login UNIQUE (login)
);
CREATE UNIQUE INDEX uq_person_badge ON person (badge_hash) WHERE badge_hash <> '';

CREATE TABLE place (
    id BIGSERIAL NOT NULL,
    name VARCHAR(120) NOT NULL,
    address JSONB NOT NULL,
    pickup_spot VARCHAR(200) NOT NULL,
    opening_hours VARCHAR(200) NOT NULL,
    latitude_e6 INTEGER,
    longitude_e6 INTEGER,
    is_default BOOLEAN NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_place PRIMARY KEY (id),
    CONSTRAINT uq_place_name UNIQUE (name)
);
CREATE UNIQUE INDEX uq_place_default ON place (is_default) WHERE is_default;

CREATE TABLE precedent (
    id BIGSERIAL NOT NULL,
    basket VARCHAR(64) NOT NULL,
    destination VARCHAR(20) NOT NULL,
    hand JSONB NOT NULL,
    order_number VARCHAR(60) NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    CONSTRAINT pk_precedent PRIMARY KEY (id),
    CONSTRAINT uq_precedent_basket_destination UNIQUE (basket, destination)
);

CREATE TABLE print_preference (
    kind VARCHAR(20) NOT NULL,
    paper VARCHAR(20) NOT NULL,
    printer VARCHAR(30) NOT NULL,
    copies INTEGER NOT NULL,
    CONSTRAINT pk_print_preference PRIMARY KEY (kind),
    CONSTRAINT ck_print_preference_kind CHECK (kind in ('label', 'packing_slip', 'pick_list', 'batch_summary', 'invoice', 'return_label', 'customs')),
    CONSTRAINT ck_print_preference_copies CHECK (copies between 1 and 9)
);

CREATE TABLE printer (
    id BIGSERIAL NOT NULL,
    code VARCHAR(30) NOT NULL,
    name VARCHAR(80) NOT NULL,
    base_url VARCHAR(200) NOT NULL,
    active BOOLEAN NOT NULL,
    kind VARCHAR(20) NOT NULL,
    facts JSONB NOT NULL,
    seen_at TIMESTAMP WITH TIME ZONE,
    failure VARCHAR(300) NOT NULL,
    CONSTRAINT pk_printer PRIMARY KEY (id),
    CONSTRAINT ck_printer_kind CHECK (kind in ('ipp', 'server')),
    CONSTRAINT uq_printer_code UNIQUE (code)
);

CREATE TABLE product (
    id BIGSERIAL NOT NULL,
    sku VARCHAR(60) NOT NULL,
    name VARCHAR(200) NOT NULL,
    barcode VARCHAR(40) NOT NULL,
    weight_g INTEGER,
    length_mm INTEGER,
    width_mm INTEGER,
    height_mm INTEGER,
    value_minor INTEGER NOT NULL,
    customs_text VARCHAR(200) NOT NULL,
    hs_code VARCHAR(12) NOT NULL,
    origin VARCHAR(2) NOT NULL,
    shelf VARCHAR(20) NOT NULL,
    own_box BOOLEAN NOT NULL,
    upright BOOLEAN NOT NULL,
    no_weekend BOOLEAN NOT NULL,
    not_stackable BOOLEAN NOT NULL,
    contents JSONB NOT NULL,
    tags JSONB DEFAULT '[]'::jsonb NOT NULL,
    material VARCHAR(120) DEFAULT '' NOT NULL,
    used_for VARCHAR(120) DEFAULT '' NOT NULL,
    recipe VARCHAR(40) DEFAULT '' NOT NULL,
    serial BOOLEAN NOT NULL,
    parts JSONB NOT NULL,
    stock_base INTEGER,
    stock_counted_at TIMESTAMP WITH TIME ZONE,
    learned_from VARCHAR(60) DEFAULT '' NOT NULL,
    CONSTRAINT pk_product PRIMARY KEY (id),
    CONSTRAINT ck_product_weight CHECK (weight_g > 0),
    CONSTRAINT uq_product_sku UNIQUE (sku)
);
CREATE INDEX ix_product_barcode ON product (barcode) WHERE barcode <> '';

CREATE TABLE promise_link (
    id BIGSERIAL NOT NULL,
    promise VARCHAR(120) NOT NULL,
    recipe VARCHAR(40) NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_promise_link PRIMARY KEY (id),
    CONSTRAINT uq_promise_link_promise UNIQUE (promise)
);

CREATE TABLE recipe (
    id BIGSERIAL NOT NULL,
    code VARCHAR(40) NOT NULL,
    name VARCHAR(80) NOT NULL,
    service VARCHAR(30),
    packaging VARCHAR(30),
    extras JSONB NOT NULL,
    place INTEGER DEFAULT 0 NOT NULL,
    CONSTRAINT pk_recipe PRIMARY KEY (id),
    CONSTRAINT uq_recipe_code UNIQUE (code),
    CONSTRAINT uq_recipe_name UNIQUE (name)
);

CREATE TABLE request_link (
    id BIGSERIAL NOT NULL,
    key VARCHAR(43) NOT NULL,
    name VARCHAR(80) NOT NULL,
    cost_codes JSONB NOT NULL,
    active BOOLEAN NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_request_link PRIMARY KEY (id),
    CONSTRAINT uq_request_link_key UNIQUE (key)
);

CREATE TABLE restricted_party (
    id BIGSERIAL NOT NULL,
    source VARCHAR(80) NOT NULL,
    key VARCHAR(60) NOT NULL,
    names JSONB NOT NULL,
    country VARCHAR(2) NOT NULL,
    addresses JSONB DEFAULT '[]'::jsonb NOT NULL,
    CONSTRAINT pk_restricted_party PRIMARY KEY (id),
    CONSTRAINT uq_restricted_party_source_key UNIQUE (source, key)
);

CREATE TABLE shop (
    id SERIAL NOT NULL,
    name VARCHAR(120) NOT NULL,
    brand VARCHAR(120) NOT NULL,
    time_zone VARCHAR(60) NOT NULL,
    currency VARCHAR(3) NOT NULL,
    units VARCHAR(10) NOT NULL,
    policy VARCHAR(30) NOT NULL,
    day_value_minor INTEGER NOT NULL,
    late_value_minor INTEGER NOT NULL,
    price_tolerance_minor INTEGER NOT NULL,
    mail_from VARCHAR(200) NOT NULL,
    group_services JSONB DEFAULT '{}'::jsonb NOT NULL,
    packaging_by_weight BOOLEAN DEFAULT false NOT NULL,
    use_precedents BOOLEAN DEFAULT true NOT NULL,
    desks JSONB DEFAULT '[]'::jsonb NOT NULL,
    ranking JSONB DEFAULT '[]'::jsonb NOT NULL,
    approve_over_minor INTEGER,
    approve_services JSONB DEFAULT '[]'::jsonb NOT NULL,
    low_balance_minor INTEGER DEFAULT 5000 NOT NULL,
    cover JSONB NOT NULL,
    slip JSONB DEFAULT '{}'::jsonb NOT NULL,
    logo BYTEA,
    planned_on DATE,
    mail_server JSONB NOT NULL,
    mail_signing JSONB DEFAULT '{}'::jsonb NOT NULL,
    sms_gateway JSONB NOT NULL,
    closed JSONB NOT NULL,
    bench JSONB NOT NULL,
    return_rules JSONB DEFAULT '{}'::jsonb NOT NULL,
    customs_numbers JSONB NOT NULL,
    calendar_key VARCHAR(43) DEFAULT '' NOT NULL,
    CONSTRAINT pk_shop PRIMARY KEY (id),
    CONSTRAINT ck_shop_one_row CHECK (id = 1)
);

CREATE TABLE standing_pickup (
    id BIGSERIAL NOT NULL,
    carrier VARCHAR(30) NOT NULL,
    network VARCHAR(30) NOT NULL,
    weekdays JSONB NOT NULL,
    start TIME WITHOUT TIME ZONE,
    until TIME WITHOUT TIME ZONE,
    paused BOOLEAN DEFAULT false NOT NULL,
    asked_for DATE,
    created_by VARCHAR(120) NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_standing_pickup PRIMARY KEY (id),
    CONSTRAINT uq_standing_pickup_carrier_network UNIQUE (carrier, network)
);

CREATE TABLE work (
    id BIGSERIAL NOT NULL,
    kind VARCHAR(30) NOT NULL,
    words VARCHAR(200) NOT NULL,
    total INTEGER NOT NULL,
    done INTEGER NOT NULL,
    state VARCHAR(20) NOT NULL,
    cursor INTEGER NOT NULL,
    result VARCHAR(300) NOT NULL,
    scope JSONB DEFAULT '{}'::jsonb NOT NULL,
    shares JSONB NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_work PRIMARY KEY (id)
);

CREATE TABLE api_key (
    id BIGSERIAL NOT NULL,
    name VARCHAR(120) NOT NULL,
    role VARCHAR(20) NOT NULL,
    key_hash VARCHAR(64) NOT NULL,
    person_id BIGINT NOT NULL,
    revoked_at TIMESTAMP WITH TIME ZONE,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    reads_only BOOLEAN NOT NULL,
    expires_at TIMESTAMP WITH TIME ZONE,
    used_at TIMESTAMP WITH TIME ZONE,
    scope VARCHAR(20) DEFAULT 'all' NOT NULL,
    per_minute INTEGER DEFAULT 3000 NOT NULL,
    CONSTRAINT pk_api_key PRIMARY KEY (id),
    CONSTRAINT ck_api_key_role CHECK (role in ('owner', 'shipper', 'packer', 'care')),
    CONSTRAINT ck_api_key_scope CHECK (scope in ('all', 'checkout')),
    CONSTRAINT ck_api_key_per_minute CHECK (per_minute > 0),
    CONSTRAINT uq_api_key_key_hash UNIQUE (key_hash),
    CONSTRAINT fk_api_key_person_id FOREIGN KEY(person_id) REFERENCES person (id) ON DELETE CASCADE
);
CREATE INDEX ix_api_key_person_id ON api_key (person_id);

CREATE TABLE batch (
    id BIGSERIAL NOT NULL,
    client_key VARCHAR(80) NOT NULL,
    person_id BIGINT NOT NULL,
    name VARCHAR(80) DEFAULT '' NOT NULL,
    state VARCHAR(20) DEFAULT 'asked' NOT NULL,
    changes JSONB DEFAULT '{}'::jsonb NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    asked_at TIMESTAMP WITH TIME ZONE,
    CONSTRAINT pk_batch PRIMARY KEY (id),
    CONSTRAINT ck_batch_state CHECK (state in ('filling', 'asked', 'archived')),
    CONSTRAINT uq_batch_client_key UNIQUE (client_key),
    CONSTRAINT fk_batch_person_id FOREIGN KEY(person_id) REFERENCES person (id)
);
CREATE INDEX ix_batch_person_id ON batch (person_id);
CREATE INDEX ix_batch_state ON batch (state);

CREATE TABLE bench (
    id BIGSERIAL NOT NULL,
    name VARCHAR(40) NOT NULL,
    packer_id BIGINT,
    packing_id BIGINT,
    said JSONB DEFAULT '{}'::jsonb NOT NULL,
    pieces INTEGER DEFAULT 1 NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_bench PRIMARY KEY (id),
    CONSTRAINT uq_bench_name UNIQUE (name),
    CONSTRAINT fk_bench_packer_id FOREIGN KEY(packer_id) REFERENCES person (id)
);

CREATE TABLE carrier_account (
    id BIGSERIAL NOT NULL,
    carrier_id BIGINT NOT NULL,
    number VARCHAR(40) NOT NULL,
    name VARCHAR(80) NOT NULL,
    discounts_bp JSONB NOT NULL,
    services_off JSONB NOT NULL,
    payer VARCHAR(20) NOT NULL,
    active BOOLEAN NOT NULL,
    CONSTRAINT pk_carrier_account PRIMARY KEY (id),
    CONSTRAINT uq_carrier_account_carrier_id_number UNIQUE (carrier_id, number),
    CONSTRAINT ck_carrier_account_payer CHECK (payer in ('balance', 'account')),
    CONSTRAINT fk_carrier_account_carrier_id FOREIGN KEY(carrier_id) REFERENCES carrier (id) ON DELETE CASCADE
);
CREATE INDEX ix_carrier_account_carrier_id ON carrier_account (carrier_id);

CREATE TABLE channel_aside (
    id BIGSERIAL NOT NULL,
    channel_id BIGINT NOT NULL,
    number VARCHAR(60) NOT NULL,
    kind VARCHAR(20) NOT NULL,
    stage VARCHAR(60) NOT NULL,
    why VARCHAR(300) NOT NULL,
    body JSONB NOT NULL,
    cursor VARCHAR(200) NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    CONSTRAINT pk_channel_aside PRIMARY KEY (id),
    CONSTRAINT uq_channel_aside_channel_id_number UNIQUE (channel_id, number),
    CONSTRAINT ck_channel_aside_kind CHECK (kind in ('ignored', 'unreadable')),
    CONSTRAINT fk_channel_aside_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id) ON DELETE CASCADE
);

CREATE TABLE channel_level (
    channel_id BIGINT NOT NULL,
    sku VARCHAR(60) NOT NULL,
    pieces INTEGER NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    refused BOOLEAN NOT NULL,
    CONSTRAINT pk_channel_level PRIMARY KEY (channel_id, sku),
    CONSTRAINT fk_channel_level_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id) ON DELETE cascade
);

CREATE TABLE channel_log (
    id BIGSERIAL NOT NULL,
    channel_id BIGINT NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    kind VARCHAR(20) NOT NULL,
    counts JSONB NOT NULL,
    entries JSONB NOT NULL,
    failure VARCHAR(300) NOT NULL,
    CONSTRAINT pk_channel_log PRIMARY KEY (id),
    CONSTRAINT fk_channel_log_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id) ON DELETE CASCADE
);
CREATE INDEX ix_channel_log_channel_id ON channel_log (channel_id);

CREATE TABLE checkout_version (
    id BIGSERIAL NOT NULL,
    body JSONB NOT NULL,
    note VARCHAR(200) NOT NULL,
    person_id BIGINT,
    holds_from TIMESTAMP WITH TIME ZONE NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_checkout_version PRIMARY KEY (id),
    CONSTRAINT fk_checkout_version_person_id FOREIGN KEY(person_id) REFERENCES person (id)
);
CREATE INDEX ix_checkout_version_holds_from ON checkout_version (holds_from);
CREATE INDEX ix_checkout_version_person_id ON checkout_version (person_id);

CREATE TABLE departure (
    id BIGSERIAL NOT NULL,
    carrier VARCHAR(30) NOT NULL,
    network VARCHAR(30) NOT NULL,
    place_id BIGINT NOT NULL,
    day DATE NOT NULL,
    cutoff_at TIMESTAMP WITH TIME ZONE NOT NULL,
    state VARCHAR(20) NOT NULL,
    brought BOOLEAN DEFAULT false NOT NULL,
    point_id BIGINT,
    handed_over_at TIMESTAMP WITH TIME ZONE,
    handed_over_by VARCHAR(120) DEFAULT '' NOT NULL,
    driver VARCHAR(120) DEFAULT '' NOT NULL,
    signature TEXT DEFAULT '' NOT NULL,
    CONSTRAINT pk_departure PRIMARY KEY (id),
    CONSTRAINT uq_departure_carrier_place_id_day_network UNIQUE (carrier, place_id, day, network),
    CONSTRAINT ck_departure_state CHECK (state in ('open', 'closed', 'handed_over', 'missed')),
    CONSTRAINT ck_departure_handed_over CHECK (state <> 'handed_over' or handed_over_at is not null),
    CONSTRAINT fk_departure_place_id FOREIGN KEY(place_id) REFERENCES place (id),
    CONSTRAINT fk_departure_point_id FOREIGN KEY(point_id) REFERENCES drop_off_point (id) ON DELETE SET NULL
);
CREATE INDEX ix_departure_day ON departure (day);
CREATE INDEX ix_departure_place_id ON departure (place_id);
CREATE INDEX ix_departure_point_id ON departure (point_id);

CREATE TABLE door_link (
    id BIGSERIAL NOT NULL,
    token_hash VARCHAR(64) NOT NULL,
    person_id BIGINT NOT NULL,
    expires_at TIMESTAMP WITH TIME ZONE NOT NULL,
    CONSTRAINT pk_door_link PRIMARY KEY (id),
    CONSTRAINT uq_door_link_token_hash UNIQUE (token_hash),
    CONSTRAINT fk_door_link_person_id FOREIGN KEY(person_id) REFERENCES person (id) ON DELETE CASCADE
);
CREATE INDEX ix_door_link_person_id ON door_link (person_id);

CREATE TABLE feed (
    id BIGSERIAL NOT NULL,
    channel_id BIGINT NOT NULL,
    person_id BIGINT NOT NULL,
    kind VARCHAR(20) NOT NULL,
    address VARCHAR(300) NOT NULL,
    header VARCHAR(60) NOT NULL,
    secret_sealed VARCHAR(10000) NOT NULL,
    host_key VARCHAR(2000) NOT NULL,
    mapping JSONB NOT NULL,
    weight_unit VARCHAR(4) NOT NULL,
    every_minutes INTEGER NOT NULL,
    active BOOLEAN NOT NULL,
    looked_at TIMESTAMP WITH TIME ZONE,
    fetched_at TIMESTAMP WITH TIME ZONE,
    failure VARCHAR(300) NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_feed PRIMARY KEY (id),
    CONSTRAINT ck_feed_kind CHECK (kind in ('http', 'folder', 'sftp')),
    CONSTRAINT ck_feed_every CHECK (every_minutes between 1 and 1440),
    CONSTRAINT fk_feed_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id),
    CONSTRAINT fk_feed_person_id FOREIGN KEY(person_id) REFERENCES person (id)
);
CREATE INDEX ix_feed_channel_id ON feed (channel_id);
CREATE INDEX ix_feed_person_id ON feed (person_id);

CREATE TABLE message_rules (
    id BIGSERIAL NOT NULL,
    channel_id BIGINT,
    body JSONB NOT NULL,
    version INTEGER NOT NULL,
    CONSTRAINT pk_message_rules PRIMARY KEY (id),
    CONSTRAINT fk_message_rules_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id) ON DELETE cascade
);
CREATE UNIQUE INDEX uq_message_rules ON message_rules (coalesce(channel_id, 0));

CREATE TABLE number_range (
    id BIGSERIAL NOT NULL,
    carrier_id BIGINT NOT NULL,
    kind VARCHAR(20) NOT NULL,
    prefix VARCHAR(20) NOT NULL,
    country VARCHAR(2) NOT NULL,
    digits INTEGER NOT NULL,
    check_digit BOOLEAN NOT NULL,
    first BIGINT NOT NULL,
    last BIGINT NOT NULL,
    next BIGINT NOT NULL,
    warn_at INTEGER NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_number_range PRIMARY KEY (id),
    CONSTRAINT ck_number_range_kind CHECK (kind in ('s10', 'sscc', 'counter')),
    CONSTRAINT ck_number_range_serials CHECK (first >= 0 and first <= last and next between first and last + 1),
    CONSTRAINT fk_number_range_carrier_id FOREIGN KEY(carrier_id) REFERENCES carrier (id)
);
CREATE INDEX ix_number_range_carrier_id ON number_range (carrier_id);

CREATE TABLE own_sale (
    id BIGSERIAL NOT NULL,
    carrier_id BIGINT NOT NULL,
    key VARCHAR(60) NOT NULL,
    numbers JSONB NOT NULL,
    price_minor INTEGER NOT NULL,
    cancelled BOOLEAN NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_own_sale PRIMARY KEY (id),
    CONSTRAINT fk_own_sale_carrier_id FOREIGN KEY(carrier_id) REFERENCES carrier (id),
    CONSTRAINT uq_own_sale_key UNIQUE (key)
);
CREATE INDEX ix_own_sale_carrier_id ON own_sale (carrier_id);

CREATE TABLE presence (
    order_id INTEGER NOT NULL,
    person_id BIGINT NOT NULL,
    seen_at TIMESTAMP WITH TIME ZONE NOT NULL,
    CONSTRAINT pk_presence PRIMARY KEY (order_id),
    CONSTRAINT fk_presence_person_id FOREIGN KEY(person_id) REFERENCES person (id) ON DELETE CASCADE
);
CREATE INDEX ix_presence_person_id ON presence (person_id);

CREATE TABLE print_job (
    id BIGSERIAL NOT NULL,
    client_key VARCHAR(80) NOT NULL,
    printer VARCHAR(30) NOT NULL,
    kind VARCHAR(20) NOT NULL,
    title VARCHAR(120) NOT NULL,
    copies INTEGER NOT NULL,
    body BYTEA NOT NULL,
    paper VARCHAR(20) NOT NULL,
    ref VARCHAR(40) NOT NULL,
    state VARCHAR(20) NOT NULL,
    person_id BIGINT NOT NULL,
    attempts INTEGER NOT NULL,
    next_at TIMESTAMP WITH TIME ZONE NOT NULL,
    printed_at TIMESTAMP WITH TIME ZONE,
    last_error VARCHAR(300) NOT NULL,
    shipment_ids JSONB NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_print_job PRIMARY KEY (id),
    CONSTRAINT ck_print_job_state CHECK (state in ('waiting', 'taken', 'printed', 'in_doubt', 'cancelled')),
    CONSTRAINT uq_print_job_client_key UNIQUE (client_key),
    CONSTRAINT fk_print_job_person_id FOREIGN KEY(person_id) REFERENCES person (id)
);
CREATE INDEX ix_print_job_due ON print_job (next_at) WHERE state in ('waiting', 'taken');
CREATE INDEX ix_print_job_person_id ON print_job (person_id);

CREATE TABLE rate_card (
    id BIGSERIAL NOT NULL,
    carrier_id BIGINT NOT NULL,
    valid_from DATE NOT NULL,
    valid_until DATE,
    shortened BOOLEAN NOT NULL,
    body JSONB NOT NULL,
    source VARCHAR(200) DEFAULT '' NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_rate_card PRIMARY KEY (id),
    CONSTRAINT uq_rate_card_carrier_id_valid_from UNIQUE (carrier_id, valid_from),
    CONSTRAINT fk_rate_card_carrier_id FOREIGN KEY(carrier_id) REFERENCES carrier (id)
);
CREATE INDEX ix_rate_card_carrier_id ON rate_card (carrier_id);

CREATE TABLE rule_set (
    id BIGSERIAL NOT NULL,
    rules JSONB NOT NULL,
    note VARCHAR(200) NOT NULL,
    person_id BIGINT,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_rule_set PRIMARY KEY (id),
    CONSTRAINT fk_rule_set_person_id FOREIGN KEY(person_id) REFERENCES person (id)
);
CREATE INDEX ix_rule_set_person_id ON rule_set (person_id);

CREATE TABLE saved_view (
    id BIGSERIAL NOT NULL,
    person_id BIGINT NOT NULL,
    page VARCHAR(20) DEFAULT 'orders' NOT NULL,
    name VARCHAR(60) NOT NULL,
    asks JSONB NOT NULL,
    CONSTRAINT pk_saved_view PRIMARY KEY (id),
    CONSTRAINT uq_saved_view_person_id_page_name UNIQUE (person_id, page, name),
    CONSTRAINT fk_saved_view_person_id FOREIGN KEY(person_id) REFERENCES person (id) ON DELETE CASCADE
);
CREATE INDEX ix_saved_view_person_id ON saved_view (person_id);

CREATE TABLE sign_in (
    id BIGSERIAL NOT NULL,
    token_hash VARCHAR(64) NOT NULL,
    csrf_token VARCHAR(64) NOT NULL,
    person_id BIGINT NOT NULL,
    expires_at TIMESTAMP WITH TIME ZONE NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    browser VARCHAR(120) NOT NULL,
    seen_at TIMESTAMP WITH TIME ZONE,
    CONSTRAINT pk_sign_in PRIMARY KEY (id),
    CONSTRAINT uq_sign_in_token_hash UNIQUE (token_hash),
    CONSTRAINT fk_sign_in_person_id FOREIGN KEY(person_id) REFERENCES person (id) ON DELETE CASCADE
);
CREATE INDEX ix_sign_in_person_id ON sign_in (person_id);

CREATE TABLE customer_order (
    id BIGSERIAL NOT NULL,
    channel_id BIGINT NOT NULL,
    number VARCHAR(60) NOT NULL,
    state VARCHAR(20) NOT NULL,
    state_why VARCHAR(200) NOT NULL,
    ordered_at TIMESTAMP WITH TIME ZONE NOT NULL,
    imported JSONB NOT NULL,
    address JSONB NOT NULL,
    home BOOLEAN NOT NULL,
    promise VARCHAR(120) NOT NULL,
    promise_date DATE,
    offer VARCHAR(120) DEFAULT '' NOT NULL,
    paid_shipping_minor INTEGER NOT NULL,
    note VARCHAR(500) NOT NULL,
    fingerprint VARCHAR(64) NOT NULL,
    import_id INTEGER,
    state_by VARCHAR(10) DEFAULT '' NOT NULL,
    payment VARCHAR(20) DEFAULT 'paid' NOT NULL,
    billing_name VARCHAR(120) DEFAULT '' NOT NULL,
    reference VARCHAR(60) DEFAULT '' NOT NULL,
    tags JSONB DEFAULT '[]'::jsonb NOT NULL,
    plan_tags JSONB DEFAULT '[]'::jsonb NOT NULL,
    desk VARCHAR(60) DEFAULT '' NOT NULL,
    comment VARCHAR(500) DEFAULT '' NOT NULL,
    also_tell JSONB DEFAULT '[]'::jsonb NOT NULL,
    own_line VARCHAR(300) DEFAULT '' NOT NULL,
    cleared JSONB DEFAULT '[]'::jsonb NOT NULL,
    basket VARCHAR(64) DEFAULT '' NOT NULL,
    destination VARCHAR(20) DEFAULT '' NOT NULL,
    search TEXT DEFAULT '' NOT NULL,
    recipient_key VARCHAR(64) DEFAULT '' NOT NULL,
    snag_level VARCHAR(10) DEFAULT '' NOT NULL,
    promise_linked BOOLEAN DEFAULT true NOT NULL,
    joined_to BIGINT,
    part_of BIGINT,
    hand JSONB NOT NULL,
    plan JSONB NOT NULL,
    plan_version INTEGER NOT NULL,
    carrier VARCHAR(30),
    service VARCHAR(30),
    network VARCHAR(30),
    price_minor INTEGER,
    ship_date DATE,
    arrives DATE,
    parcel_count INTEGER NOT NULL,
    planned_at TIMESTAMP WITH TIME ZONE,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    batch_id BIGINT,
    sender JSONB DEFAULT '{}'::jsonb NOT NULL,
    rule_facts JSONB DEFAULT '{}'::jsonb NOT NULL,
    good_until TIMESTAMP WITH TIME ZONE,
    newest_shipment_id BIGINT NOT NULL,
    CONSTRAINT pk_customer_order PRIMARY KEY (id),
    CONSTRAINT uq_customer_order_number_channel_id UNIQUE (number, channel_id),
    CONSTRAINT ck_customer_order_state CHECK (state in ('open', 'held', 'left_out', 'cancelled', 'part_shipped', 'shipped')),
    CONSTRAINT ck_customer_order_standing CHECK ((state, state_by) in (('open', ''), ('held', 'person'), ('held', 'rule'), ('held', 'channel'), ('left_out', 'rule'), ('left_out', 'channel'), ('cancelled', 'channel'), ('held', 'join'), ('shipped', ''), ('shipped', 'join'))),
    CONSTRAINT ck_customer_order_payment CHECK (payment in ('paid', 'pay_on_delivery', 'unpaid')),
    CONSTRAINT fk_customer_order_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id),
    CONSTRAINT fk_customer_order_batch_id FOREIGN KEY(batch_id) REFERENCES batch (id)
) WITH (fillfactor = 60);
CREATE INDEX ix_customer_order_batch_id ON customer_order (batch_id) WHERE batch_id is not null;
CREATE INDEX ix_customer_order_departing ON customer_order (carrier, network, ship_date, id) INCLUDE (price_minor) WHERE state = 'open';
CREATE INDEX ix_customer_order_departs ON customer_order ((
case
when price_minor is null then ''
else (((lpad((ship_date - '2000-01-01'::date)::text, 6, '0') || ' ') || coalesce(carrier, '')) || ' ') || coalesce(network, '')
end), id) WHERE state = 'open';
CREATE INDEX ix_customer_order_good_until ON customer_order (good_until) WHERE good_until is not null;
CREATE INDEX ix_customer_order_import_id ON customer_order (import_id) WHERE import_id is not null;
CREATE INDEX ix_customer_order_joined_to ON customer_order (joined_to) WHERE joined_to is not null;
CREATE INDEX ix_customer_order_offer ON customer_order (offer) WHERE offer <> '';
CREATE INDEX ix_customer_order_part_of ON customer_order (part_of) WHERE part_of is not null;
CREATE INDEX ix_customer_order_recipient_key ON customer_order (recipient_key);
CREATE INDEX ix_customer_order_search ON customer_order USING gin (search gin_trgm_ops);
CREATE INDEX ix_customer_order_shipped ON customer_order (newest_shipment_id, id) WHERE state in ('shipped', 'part_shipped');
CREATE INDEX ix_customer_order_view ON customer_order (state, snag_level);
CREATE INDEX ix_customer_order_waiting ON customer_order (state, id) WHERE state = 'open';
ALTER TABLE customer_order ALTER COLUMN plan SET COMPRESSION lz4;
ALTER TABLE customer_order ALTER COLUMN imported SET COMPRESSION lz4;

CREATE TABLE import_file (
    id BIGSERIAL NOT NULL,
    file_name VARCHAR(200) NOT NULL,
    digest VARCHAR(64) NOT NULL,
    layout VARCHAR(64) NOT NULL,
    read_as VARCHAR(120) NOT NULL,
    headers JSONB NOT NULL,
    rows JSONB NOT NULL,
    columns JSONB NOT NULL,
    faults JSONB NOT NULL,
    made INTEGER NOT NULL,
    already INTEGER NOT NULL,
    state VARCHAR(20) NOT NULL,
    options JSONB DEFAULT '{}'::jsonb NOT NULL,
    corrected JSONB DEFAULT '{}'::jsonb NOT NULL,
    total INTEGER DEFAULT 0 NOT NULL,
    progress INTEGER DEFAULT 0 NOT NULL,
    changed INTEGER NOT NULL,
    reading JSONB NOT NULL,
    data BYTEA NOT NULL,
    person_id BIGINT NOT NULL,
    channel_id BIGINT,
    feed_id BIGINT,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_import_file PRIMARY KEY (id),
    CONSTRAINT ck_import_file_state CHECK (state in ('mapping', 'running', 'done', 'undone')),
    CONSTRAINT fk_import_file_person_id FOREIGN KEY(person_id) REFERENCES person (id),
    CONSTRAINT fk_import_file_channel_id FOREIGN KEY(channel_id) REFERENCES channel (id),
    CONSTRAINT fk_import_file_feed_id FOREIGN KEY(feed_id) REFERENCES feed (id) ON DELETE SET NULL
);
CREATE INDEX ix_import_file_channel_id ON import_file (channel_id);
CREATE INDEX ix_import_file_digest ON import_file (digest);
CREATE INDEX ix_import_file_feed ON import_file (feed_id, digest);
CREATE INDEX ix_import_file_person_id ON import_file (person_id);

CREATE TABLE manifest (
    id BIGSERIAL NOT NULL,
    departure_id BIGINT NOT NULL,
    number VARCHAR(40) NOT NULL,
    idempotency_key VARCHAR(60) NOT NULL,
    lines JSONB NOT NULL,
    gross_g INTEGER NOT NULL,
    closed_by VARCHAR(120) NOT NULL,
    closed_at TIMESTAMP WITH TIME ZONE NOT NULL,
    reopened_by VARCHAR(120) DEFAULT '' NOT NULL,
    reopened_at TIMESTAMP WITH TIME ZONE,
    told VARCHAR(20) DEFAULT 'unasked' NOT NULL,
    words VARCHAR(300) DEFAULT '' NOT NULL,
    attempts INTEGER DEFAULT 0 NOT NULL,
    next_try_at TIMESTAMP WITH TIME ZONE,
    CONSTRAINT pk_manifest PRIMARY KEY (id),
    CONSTRAINT ck_manifest_told CHECK (told in ('unasked', 'asked', 'told', 'refused')),
    CONSTRAINT fk_manifest_departure_id FOREIGN KEY(departure_id) REFERENCES departure (id),
    CONSTRAINT uq_manifest_number UNIQUE (number),
    CONSTRAINT uq_manifest_idempotency_key UNIQUE (idempotency_key)
);
CREATE INDEX ix_manifest_departure_id ON manifest (departure_id);
CREATE INDEX ix_manifest_due ON manifest (next_try_at) WHERE told = 'asked';
CREATE UNIQUE INDEX uq_manifest_standing ON manifest (departure_id) WHERE reopened_at is null;

CREATE TABLE pickup (
    id BIGSERIAL NOT NULL,
    departure_id BIGINT NOT NULL,
    replaces_id BIGINT,
    idempotency_key VARCHAR(60) NOT NULL,
    state VARCHAR(20) DEFAULT 'asked' NOT NULL,
    start TIME WITHOUT TIME ZONE NOT NULL,
    until TIME WITHOUT TIME ZONE NOT NULL,
    begins_at TIMESTAMP WITH TIME ZONE NOT NULL,
    ends_at TIMESTAMP WITH TIME ZONE NOT NULL,
    change_until TIMESTAMP WITH TIME ZONE NOT NULL,
    parcels INTEGER NOT NULL,
    classes JSONB NOT NULL,
    gross_g INTEGER NOT NULL,
    heaviest_g INTEGER DEFAULT 0 NOT NULL,
    longest_mm INTEGER DEFAULT 0 NOT NULL,
    address JSONB NOT NULL,
    spot VARCHAR(120) DEFAULT '' NOT NULL,
    note VARCHAR(300) DEFAULT '' NOT NULL,
    contact VARCHAR(120) DEFAULT '' NOT NULL,
    phone VARCHAR(40) DEFAULT '' NOT NULL,
    manifest VARCHAR(40) DEFAULT '' NOT NULL,
    fee_minor INTEGER DEFAULT 0 NOT NULL,
    payer VARCHAR(20) NOT NULL,
    account VARCHAR(40) DEFAULT '' NOT NULL,
    confirmation VARCHAR(60) DEFAULT '' NOT NULL,
    words VARCHAR(300) DEFAULT '' NOT NULL,
    asked_by VARCHAR(120) NOT NULL,
    asked_at TIMESTAMP WITH TIME ZONE NOT NULL,
    cancelled_by VARCHAR(120) DEFAULT '' NOT NULL,
    settled_at TIMESTAMP WITH TIME ZONE,
    attempts INTEGER DEFAULT 0 NOT NULL,
    next_try_at TIMESTAMP WITH TIME ZONE,
    answer VARCHAR(300) DEFAULT '' NOT NULL,
    chased_at TIMESTAMP WITH TIME ZONE,
    chased_by VARCHAR(120) DEFAULT '' NOT NULL,
    calendar_key VARCHAR(43) NOT NULL,
    CONSTRAINT pk_pickup PRIMARY KEY (id),
    CONSTRAINT ck_pickup_state CHECK (state in ('asked', 'booked', 'refused', 'cancelling', 'cancelled', 'done', 'missed')),
    CONSTRAINT ck_pickup_figures CHECK (fee_minor >= 0 and parcels >= 0 and gross_g >= 0),
    CONSTRAINT ck_pickup_payer CHECK (payer in ('balance', 'account')),
    CONSTRAINT fk_pickup_departure_id FOREIGN KEY(departure_id) REFERENCES departure (id),
    CONSTRAINT fk_pickup_replaces_id FOREIGN KEY(replaces_id) REFERENCES pickup (id),
    CONSTRAINT uq_pickup_idempotency_key UNIQUE (idempotency_key),
    CONSTRAINT uq_pickup_calendar_key UNIQUE (calendar_key)
);
CREATE INDEX ix_pickup_asked_at ON pickup (asked_at);
CREATE INDEX ix_pickup_departure_id ON pickup (departure_id);
CREATE INDEX ix_pickup_due ON pickup (next_try_at) WHERE state in ('asked', 'booked', 'cancelling');
CREATE INDEX ix_pickup_open_missed ON pickup (id) WHERE state = 'missed' and settled_at is null;
CREATE UNIQUE INDEX uq_pickup_asked ON pickup (departure_id) WHERE state = 'asked';
CREATE UNIQUE INDEX uq_pickup_booked ON pickup (departure_id) WHERE state in ('booked', 'cancelling');

CREATE TABLE clearance (
    id BIGSERIAL NOT NULL,
    order_id BIGINT NOT NULL,
    party VARCHAR(60) NOT NULL,
    words VARCHAR(500) NOT NULL,
    reason VARCHAR(500) NOT NULL,
    person_id BIGINT NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    CONSTRAINT pk_clearance PRIMARY KEY (id),
    CONSTRAINT fk_clearance_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id) ON DELETE CASCADE,
    CONSTRAINT fk_clearance_person_id FOREIGN KEY(person_id) REFERENCES person (id)
);
CREATE INDEX ix_clearance_order_id ON clearance (order_id);
CREATE INDEX ix_clearance_person_id ON clearance (person_id);

CREATE TABLE label_request (
    id BIGSERIAL NOT NULL,
    link_id BIGINT NOT NULL,
    client_key VARCHAR(80) NOT NULL,
    view_key VARCHAR(43) NOT NULL,
    state VARCHAR(20) NOT NULL,
    asked_by VARCHAR(120) NOT NULL,
    source VARCHAR(200) NOT NULL,
    why VARCHAR(300) NOT NULL,
    cost_code VARCHAR(60) NOT NULL,
    sender JSONB NOT NULL,
    address JSONB NOT NULL,
    what VARCHAR(120) NOT NULL,
    gross_g INTEGER NOT NULL,
    sides_mm JSONB NOT NULL,
    value_minor INTEGER NOT NULL,
    sticker_mail VARCHAR(200) NOT NULL,
    waiter_mail VARCHAR(200) NOT NULL,
    order_id BIGINT,
    decided_by VARCHAR(120) NOT NULL,
    decided_at TIMESTAMP WITH TIME ZONE,
    words VARCHAR(300) NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_label_request PRIMARY KEY (id),
    CONSTRAINT ck_label_request_state CHECK (state in ('asked', 'approved', 'declined', 'labelled')),
    CONSTRAINT fk_label_request_link_id FOREIGN KEY(link_id) REFERENCES request_link (id),
    CONSTRAINT uq_label_request_client_key UNIQUE (client_key),
    CONSTRAINT uq_label_request_view_key UNIQUE (view_key),
    CONSTRAINT fk_label_request_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id)
);
CREATE INDEX ix_label_request_link_id ON label_request (link_id);
CREATE INDEX ix_label_request_order_id ON label_request (order_id);
CREATE INDEX ix_label_request_state ON label_request (state);

CREATE TABLE order_change (
    id BIGSERIAL NOT NULL,
    order_id BIGINT NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    who VARCHAR(120) NOT NULL,
    what VARCHAR(300) NOT NULL,
    undo JSONB NOT NULL,
    CONSTRAINT pk_order_change PRIMARY KEY (id),
    CONSTRAINT fk_order_change_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id) ON DELETE CASCADE
);
CREATE INDEX ix_order_change_order_id ON order_change (order_id);

CREATE TABLE order_difference (
    id BIGSERIAL NOT NULL,
    order_id BIGINT NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    kind VARCHAR(20) NOT NULL,
    changes JSONB NOT NULL,
    upstream JSONB NOT NULL,
    fate JSONB NOT NULL,
    state VARCHAR(20) NOT NULL,
    decided_by VARCHAR(120) NOT NULL,
    decided_at TIMESTAMP WITH TIME ZONE,
    CONSTRAINT pk_order_difference PRIMARY KEY (id),
    CONSTRAINT ck_order_difference_state CHECK (state in ('waiting', 'taken', 'refused', 'withdrawn')),
    CONSTRAINT fk_order_difference_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id) ON DELETE CASCADE
);
CREATE INDEX ix_order_difference_order_id ON order_difference (order_id);
CREATE UNIQUE INDEX uq_order_difference_waiting ON order_difference (order_id) WHERE state = 'waiting';

CREATE TABLE order_line (
    id BIGSERIAL NOT NULL,
    order_id BIGINT NOT NULL,
    position INTEGER NOT NULL,
    sku VARCHAR(60) NOT NULL,
    name VARCHAR(200) NOT NULL,
    quantity INTEGER NOT NULL,
    sent INTEGER DEFAULT 0 NOT NULL,
    unit_price_minor INTEGER NOT NULL,
    weight_g INTEGER,
    CONSTRAINT pk_order_line PRIMARY KEY (id),
    CONSTRAINT ck_order_line_quantity CHECK (quantity > 0),
    CONSTRAINT ck_order_line_sent CHECK (sent between 0 and quantity),
    CONSTRAINT uq_order_line_order_id_position UNIQUE (order_id, position),
    CONSTRAINT fk_order_line_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id) ON DELETE CASCADE
);
CREATE INDEX ix_order_line_order_id ON order_line (order_id);
CREATE INDEX ix_order_line_sku ON order_line (sku);

CREATE TABLE own_paper (
    id BIGSERIAL NOT NULL,
    order_id BIGINT NOT NULL,
    page_no INTEGER NOT NULL,
    picture BYTEA NOT NULL,
    file_name VARCHAR(120) NOT NULL,
    by VARCHAR(120) NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_own_paper PRIMARY KEY (id),
    CONSTRAINT uq_own_paper_order_id_page_no UNIQUE (order_id, page_no),
    CONSTRAINT fk_own_paper_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id) ON DELETE CASCADE
);
CREATE INDEX ix_own_paper_order_id ON own_paper (order_id);

CREATE TABLE shipment (
    id BIGSERIAL NOT NULL,
    order_id BIGINT NOT NULL,
    batch_id BIGINT NOT NULL,
    idempotency_key VARCHAR(60) NOT NULL,
    state VARCHAR(20) NOT NULL,
    carrier VARCHAR(30) NOT NULL,
    service VARCHAR(30) NOT NULL,
    service_name VARCHAR(80) NOT NULL,
    price_minor INTEGER NOT NULL,
    quote JSONB NOT NULL,
    sender JSONB NOT NULL,
    address JSONB NOT NULL,
    extras JSONB NOT NULL,
    ship_date DATE NOT NULL,
    arrives DATE,
    asked_at TIMESTAMP WITH TIME ZONE NOT NULL,
    bought_at TIMESTAMP WITH TIME ZONE,
    failure VARCHAR(500) NOT NULL,
    tracking_key VARCHAR(43) NOT NULL,
    tracking_state VARCHAR(30) NOT NULL,
    next_look_at TIMESTAMP WITH TIME ZONE,
    reference VARCHAR(60) DEFAULT '' NOT NULL,
    payer VARCHAR(20) DEFAULT 'balance' NOT NULL,
    account VARCHAR(40) NOT NULL,
    premium_minor INTEGER NOT NULL,
    bill_to JSONB DEFAULT '{}'::jsonb NOT NULL,
    customs JSONB NOT NULL,
    duties_charged_minor INTEGER,
    begun_at TIMESTAMP WITH TIME ZONE,
    attempts INTEGER DEFAULT 0 NOT NULL,
    next_try_at TIMESTAMP WITH TIME ZONE,
    watched_until TIMESTAMP WITH TIME ZONE,
    late_sale VARCHAR(300) NOT NULL,
    void_asked_at TIMESTAMP WITH TIME ZONE,
    void_asked_by VARCHAR(120) DEFAULT '' NOT NULL,
    void_due_on DATE,
    void_settled_at TIMESTAMP WITH TIME ZONE,
    void_words VARCHAR(300) DEFAULT '' NOT NULL,
    chased_at TIMESTAMP WITH TIME ZONE,
    CONSTRAINT pk_shipment PRIMARY KEY (id),
    CONSTRAINT ck_shipment_state CHECK (state in ('buying', 'bought', 'failed', 'void_asked', 'voided', 'void_refused')),
    CONSTRAINT ck_shipment_price CHECK (price_minor >= 0),
    CONSTRAINT ck_shipment_payer CHECK (payer in ('balance', 'account', 'elsewhere')),
    CONSTRAINT ck_shipment_void CHECK ((state in ('void_asked', 'voided', 'void_refused')) = (void_asked_at is not null)),
    CONSTRAINT ck_shipment_bought CHECK (state in ('buying', 'failed') or bought_at is not null),
    CONSTRAINT fk_shipment_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id),
    CONSTRAINT fk_shipment_batch_id FOREIGN KEY(batch_id) REFERENCES batch (id),
    CONSTRAINT uq_shipment_idempotency_key UNIQUE (idempotency_key),
    CONSTRAINT uq_shipment_tracking_key UNIQUE (tracking_key)
);
CREATE INDEX ix_shipment_batch_id ON shipment (batch_id);
CREATE INDEX ix_shipment_buying ON shipment (next_try_at) WHERE state = 'buying';
CREATE INDEX ix_shipment_late_sale ON shipment (asked_at) WHERE late_sale <> '';
CREATE INDEX ix_shipment_next_look_at ON shipment (next_look_at);
CREATE INDEX ix_shipment_order_id ON shipment (order_id);
CREATE INDEX ix_shipment_void_asked ON shipment (void_due_on) WHERE state = 'void_asked';
CREATE INDEX ix_shipment_watched ON shipment (next_try_at) WHERE watched_until is not null;
CREATE UNIQUE INDEX uq_shipment_live ON shipment (order_id) WHERE state in ('buying', 'bought');

CREATE TABLE snag (
    id BIGSERIAL NOT NULL,
    order_id BIGINT NOT NULL,
    code VARCHAR(40) NOT NULL,
    level VARCHAR(10) NOT NULL,
    words VARCHAR(500) NOT NULL,
    fix VARCHAR(30) NOT NULL,
    about VARCHAR(120) NOT NULL,
    CONSTRAINT pk_snag PRIMARY KEY (id),
    CONSTRAINT ck_snag_level CHECK (level in ('stops', 'warns')),
    CONSTRAINT fk_snag_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id) ON DELETE CASCADE
);
CREATE INDEX ix_snag_code ON snag (code);
CREATE INDEX ix_snag_order_id ON snag (order_id);

CREATE TABLE channel_notice (
    id BIGSERIAL NOT NULL,
    shipment_id BIGINT NOT NULL,
    kind VARCHAR(20) NOT NULL,
    attempts INTEGER NOT NULL,
    next_at TIMESTAMP WITH TIME ZONE NOT NULL,
    done_at TIMESTAMP WITH TIME ZONE,
    last_error VARCHAR(300) NOT NULL,
    CONSTRAINT pk_channel_notice PRIMARY KEY (id),
    CONSTRAINT uq_channel_notice_shipment_id_kind UNIQUE (shipment_id, kind),
    CONSTRAINT fk_channel_notice_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id) ON DELETE CASCADE
);
CREATE INDEX ix_channel_notice_due ON channel_notice (next_at) WHERE done_at is null;
CREATE INDEX ix_channel_notice_shipment_id ON channel_notice (shipment_id);

CREATE TABLE claim (
    id BIGSERIAL NOT NULL,
    shipment_id BIGINT NOT NULL,
    kind VARCHAR(10) NOT NULL,
    state VARCHAR(10) NOT NULL,
    amount_minor INTEGER NOT NULL,
    claim_by DATE NOT NULL,
    opened_by VARCHAR(120) NOT NULL,
    opened_at TIMESTAMP WITH TIME ZONE NOT NULL,
    mail_to VARCHAR(200) NOT NULL,
    sent_at TIMESTAMP WITH TIME ZONE,
    paid_minor INTEGER NOT NULL,
    words VARCHAR(500) NOT NULL,
    settled_at TIMESTAMP WITH TIME ZONE,
    CONSTRAINT pk_claim PRIMARY KEY (id),
    CONSTRAINT ck_claim_state CHECK (state in ('open', 'sent', 'paid', 'refused', 'dropped')),
    CONSTRAINT ck_claim_kind CHECK (kind in ('lost', 'damaged')),
    CONSTRAINT ck_claim_amounts CHECK (amount_minor > 0 and paid_minor >= 0),
    CONSTRAINT fk_claim_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id) ON DELETE CASCADE
);
CREATE INDEX ix_claim_shipment_id ON claim (shipment_id);
CREATE UNIQUE INDEX uq_claim_live ON claim (shipment_id) WHERE state in ('open', 'sent', 'paid');

CREATE TABLE label (
    id BIGSERIAL NOT NULL,
    shipment_id BIGINT NOT NULL,
    parcel_no INTEGER NOT NULL,
    parcel JSONB NOT NULL,
    gross_g INTEGER NOT NULL,
    tracking_number VARCHAR(40),
    routing VARCHAR(40) NOT NULL,
    printed_at TIMESTAMP WITH TIME ZONE,
    departure_id BIGINT NOT NULL,
    counted_at TIMESTAMP WITH TIME ZONE,
    handed_over_at TIMESTAMP WITH TIME ZONE,
    tracking_state VARCHAR(30) DEFAULT 'announced' NOT NULL,
    tracking_since TIMESTAMP WITH TIME ZONE,
    tracking_reason VARCHAR(20) DEFAULT '' NOT NULL,
    last_event_at TIMESTAMP WITH TIME ZONE,
    CONSTRAINT pk_label PRIMARY KEY (id),
    CONSTRAINT uq_label_shipment_id_parcel_no UNIQUE (shipment_id, parcel_no),
    CONSTRAINT ck_label_gross CHECK (gross_g > 0),
    CONSTRAINT fk_label_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id) ON DELETE CASCADE,
    CONSTRAINT uq_label_tracking_number UNIQUE (tracking_number),
    CONSTRAINT fk_label_departure_id FOREIGN KEY(departure_id) REFERENCES departure (id)
);
CREATE INDEX ix_label_departure_id ON label (departure_id);
CREATE INDEX ix_label_shipment_id ON label (shipment_id);
CREATE INDEX ix_label_tracking_number_parts ON label USING gin (tracking_number gin_trgm_ops);
CREATE INDEX ix_label_under_way ON label (shipment_id) WHERE tracking_state not in ('announced', 'delivered', 'returned');

CREATE TABLE ledger_entry (
    id BIGSERIAL NOT NULL,
    key VARCHAR(80) NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    kind VARCHAR(30) NOT NULL,
    reason VARCHAR(200) NOT NULL,
    shipment_id BIGINT,
    pickup_id BIGINT,
    CONSTRAINT pk_ledger_entry PRIMARY KEY (id),
    CONSTRAINT uq_ledger_entry_key UNIQUE (key),
    CONSTRAINT fk_ledger_entry_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id),
    CONSTRAINT fk_ledger_entry_pickup_id FOREIGN KEY(pickup_id) REFERENCES pickup (id)
);
CREATE INDEX ix_ledger_entry_pickup_id ON ledger_entry (pickup_id);
CREATE INDEX ix_ledger_entry_shipment_id ON ledger_entry (shipment_id);

CREATE TABLE message (
    id BIGSERIAL NOT NULL,
    shipment_id BIGINT NOT NULL,
    trigger VARCHAR(20) DEFAULT '' NOT NULL,
    by VARCHAR(4) DEFAULT 'mail' NOT NULL,
    language VARCHAR(5) DEFAULT '' NOT NULL,
    not_sent VARCHAR(200) DEFAULT '' NOT NULL,
    hold VARCHAR(6) DEFAULT '' NOT NULL,
    kind VARCHAR(30) NOT NULL,
    recipient VARCHAR(200) NOT NULL,
    subject VARCHAR(200) NOT NULL,
    body VARCHAR NOT NULL,
    reason VARCHAR(200) NOT NULL,
    attach VARCHAR(20) DEFAULT '' NOT NULL,
    attempts INTEGER NOT NULL,
    next_at TIMESTAMP WITH TIME ZONE NOT NULL,
    sent_at TIMESTAMP WITH TIME ZONE,
    last_error VARCHAR(300) NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
    CONSTRAINT pk_message PRIMARY KEY (id),
    CONSTRAINT uq_message_shipment_id_kind UNIQUE (shipment_id, kind),
    CONSTRAINT ck_message_by CHECK (by in ('mail', 'sms')),
    CONSTRAINT ck_message_hold CHECK (hold in ('', 'held', 'let_go')),
    CONSTRAINT fk_message_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id) ON DELETE CASCADE
);
CREATE INDEX ix_message_due ON message (next_at) WHERE sent_at is null and not_sent = '';
CREATE INDEX ix_message_newest ON message (created_at);
CREATE INDEX ix_message_shipment_id ON message (shipment_id);

CREATE TABLE packing (
    id BIGSERIAL NOT NULL,
    order_id BIGINT NOT NULL,
    bench_id BIGINT NOT NULL,
    person_id BIGINT NOT NULL,
    shipment_id BIGINT,
    state VARCHAR(20) NOT NULL,
    bought_here BOOLEAN NOT NULL,
    prints BOOLEAN NOT NULL,
    items JSONB DEFAULT '[]'::jsonb NOT NULL,
    facts JSONB DEFAULT '{}'::jsonb NOT NULL,
    steps JSONB DEFAULT '[]'::jsonb NOT NULL,
    weights_g JSONB DEFAULT '[]'::jsonb NOT NULL,
    mistakes INTEGER NOT NULL,
    words VARCHAR(300) NOT NULL,
    started_at TIMESTAMP WITH TIME ZONE NOT NULL,
    packed_at TIMESTAMP WITH TIME ZONE,
    CONSTRAINT pk_packing PRIMARY KEY (id),
    CONSTRAINT ck_packing_state CHECK (state in ('open', 'buying', 'packed', 'left', 'undone')),
    CONSTRAINT ck_packing_packed CHECK (state <> 'packed' or packed_at is not null),
    CONSTRAINT fk_packing_order_id FOREIGN KEY(order_id) REFERENCES customer_order (id),
    CONSTRAINT fk_packing_bench_id FOREIGN KEY(bench_id) REFERENCES bench (id),
    CONSTRAINT fk_packing_person_id FOREIGN KEY(person_id) REFERENCES person (id),
    CONSTRAINT fk_packing_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id)
);
CREATE INDEX ix_packing_bench_id ON packing (bench_id, started_at);
CREATE INDEX ix_packing_buying ON packing (id) WHERE state = 'buying';
CREATE INDEX ix_packing_order_id ON packing (order_id);
CREATE INDEX ix_packing_packed_at ON packing (packed_at);
CREATE INDEX ix_packing_person_id ON packing (person_id);
CREATE INDEX ix_packing_shipment_id ON packing (shipment_id);
CREATE UNIQUE INDEX uq_packing_holds ON packing (order_id) WHERE state in ('open', 'buying');

CREATE TABLE parcel_deed (
    id BIGSERIAL NOT NULL,
    shipment_id BIGINT NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    who VARCHAR(120) NOT NULL,
    kind VARCHAR(20) NOT NULL,
    trouble VARCHAR(20) NOT NULL,
    words VARCHAR(2000) NOT NULL,
    mail_to VARCHAR(200) NOT NULL,
    CONSTRAINT pk_parcel_deed PRIMARY KEY (id),
    CONSTRAINT fk_parcel_deed_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id) ON DELETE CASCADE
);
CREATE INDEX ix_parcel_deed_shipment_id ON parcel_deed (shipment_id);

CREATE TABLE parcel_return (
    id BIGSERIAL NOT NULL,
    shipment_id BIGINT NOT NULL,
    idempotency_key VARCHAR(60) NOT NULL,
    state VARCHAR(20) NOT NULL,
    in_box BOOLEAN NOT NULL,
    reason VARCHAR(200) NOT NULL,
    items JSONB DEFAULT '[]'::jsonb NOT NULL,
    words VARCHAR(500) DEFAULT '' NOT NULL,
    buyer_pays BOOLEAN DEFAULT false NOT NULL,
    photo BYTEA,
    price_minor INTEGER NOT NULL,
    tracking_number VARCHAR(40),
    routing VARCHAR(40) NOT NULL,
    asked_by VARCHAR(120) NOT NULL,
    asked_at TIMESTAMP WITH TIME ZONE NOT NULL,
    used_at TIMESTAMP WITH TIME ZONE,
    back_at TIMESTAMP WITH TIME ZONE,
    outcome VARCHAR(200) NOT NULL,
    restocked BOOLEAN NOT NULL,
    failure VARCHAR(300) NOT NULL,
    CONSTRAINT pk_parcel_return PRIMARY KEY (id),
    CONSTRAINT ck_parcel_return_state CHECK (state in ('making', 'ready', 'on_its_way', 'back', 'closed', 'cancelled', 'failed')),
    CONSTRAINT ck_parcel_return_price CHECK (price_minor >= 0),
    CONSTRAINT ck_parcel_return_used CHECK (used_at is null or tracking_number is not null),
    CONSTRAINT fk_parcel_return_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id),
    CONSTRAINT uq_parcel_return_idempotency_key UNIQUE (idempotency_key),
    CONSTRAINT uq_parcel_return_tracking_number UNIQUE (tracking_number)
);
CREATE INDEX ix_parcel_return_open ON parcel_return (state) WHERE state in ('making', 'ready', 'on_its_way');
CREATE INDEX ix_parcel_return_shipment_id ON parcel_return (shipment_id);
CREATE UNIQUE INDEX uq_parcel_return_live ON parcel_return (shipment_id) WHERE state in ('making', 'ready', 'on_its_way', 'back', 'failed');

CREATE TABLE parcel_wish (
    id BIGSERIAL NOT NULL,
    shipment_id BIGINT NOT NULL,
    idempotency_key VARCHAR(60) NOT NULL,
    kind VARCHAR(20) NOT NULL,
    day DATE,
    words VARCHAR(120) NOT NULL,
    state VARCHAR(20) NOT NULL,
    asked_at TIMESTAMP WITH TIME ZONE NOT NULL,
    attempts INTEGER NOT NULL,
    next_at TIMESTAMP WITH TIME ZONE NOT NULL,
    failure VARCHAR(300) NOT NULL,
    CONSTRAINT pk_parcel_wish PRIMARY KEY (id),
    CONSTRAINT ck_parcel_wish_state CHECK (state in ('asked', 'taken', 'refused')),
    CONSTRAINT fk_parcel_wish_shipment_id FOREIGN KEY(shipment_id) REFERENCES shipment (id) ON DELETE CASCADE,
    CONSTRAINT uq_parcel_wish_idempotency_key UNIQUE (idempotency_key)
);
CREATE INDEX ix_parcel_wish_shipment_id ON parcel_wish (shipment_id);
CREATE UNIQUE INDEX uq_parcel_wish_standing ON parcel_wish (shipment_id) WHERE state in ('asked', 'taken');

CREATE TABLE bench_scan (
    id BIGSERIAL NOT NULL,
    bench_id BIGINT NOT NULL,
    packing_id BIGINT,
    person_id BIGINT NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    code VARCHAR(120) NOT NULL,
    client_key VARCHAR(40),
    verdict VARCHAR(20) NOT NULL,
    CONSTRAINT pk_bench_scan PRIMARY KEY (id),
    CONSTRAINT fk_bench_scan_bench_id FOREIGN KEY(bench_id) REFERENCES bench (id),
    CONSTRAINT fk_bench_scan_packing_id FOREIGN KEY(packing_id) REFERENCES packing (id),
    CONSTRAINT fk_bench_scan_person_id FOREIGN KEY(person_id) REFERENCES person (id),
    CONSTRAINT uq_bench_scan_client_key UNIQUE (client_key)
);
CREATE INDEX ix_bench_scan_at ON bench_scan (at);
CREATE INDEX ix_bench_scan_bench_id ON bench_scan (bench_id);
CREATE INDEX ix_bench_scan_packing_id ON bench_scan (packing_id);
CREATE INDEX ix_bench_scan_person_id ON bench_scan (person_id);

CREATE TABLE ledger_line (
    id BIGSERIAL NOT NULL,
    entry_id BIGINT NOT NULL,
    account VARCHAR(20) NOT NULL,
    amount_minor BIGINT NOT NULL,
    balance_after BIGINT DEFAULT 0 NOT NULL,
    CONSTRAINT pk_ledger_line PRIMARY KEY (id),
    CONSTRAINT ck_ledger_line_amount CHECK (amount_minor <> 0),
    CONSTRAINT fk_ledger_line_entry_id FOREIGN KEY(entry_id) REFERENCES ledger_entry (id),
    CONSTRAINT fk_ledger_line_account FOREIGN KEY(account) REFERENCES ledger_account (code)
);
CREATE INDEX ix_ledger_line_account ON ledger_line (account);
CREATE INDEX ix_ledger_line_entry_id ON ledger_line (entry_id);

CREATE TABLE photo (
    id BIGSERIAL NOT NULL,
    packing_id BIGINT NOT NULL,
    person_id BIGINT NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    picture BYTEA NOT NULL,
    small BYTEA NOT NULL,
    CONSTRAINT pk_photo PRIMARY KEY (id),
    CONSTRAINT fk_photo_packing_id FOREIGN KEY(packing_id) REFERENCES packing (id) ON DELETE CASCADE,
    CONSTRAINT fk_photo_person_id FOREIGN KEY(person_id) REFERENCES person (id)
);
CREATE INDEX ix_photo_packing_id ON photo (packing_id);
CREATE INDEX ix_photo_person_id ON photo (person_id);

CREATE TABLE serial_number (
    id BIGSERIAL NOT NULL,
    packing_id BIGINT NOT NULL,
    sku VARCHAR(60) NOT NULL,
    number VARCHAR(60) NOT NULL,
    CONSTRAINT pk_serial_number PRIMARY KEY (id),
    CONSTRAINT fk_serial_number_packing_id FOREIGN KEY(packing_id) REFERENCES packing (id) ON DELETE CASCADE
);
CREATE INDEX ix_serial_number_number ON serial_number (number);
CREATE INDEX ix_serial_number_packing_id ON serial_number (packing_id);

CREATE TABLE tracking_event (
    id BIGSERIAL NOT NULL,
    label_id BIGINT NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    state VARCHAR(30) NOT NULL,
    words VARCHAR(200) NOT NULL,
    spot VARCHAR(120) NOT NULL,
    event_id VARCHAR(80) DEFAULT '' NOT NULL,
    takes_back VARCHAR(80) DEFAULT '' NOT NULL,
    code VARCHAR(40) DEFAULT '' NOT NULL,
    reason VARCHAR(20) DEFAULT '' NOT NULL,
    heard_at TIMESTAMP WITH TIME ZONE,
    CONSTRAINT pk_tracking_event PRIMARY KEY (id),
    CONSTRAINT uq_tracking_event_label_id_at_state_spot UNIQUE (label_id, at, state, spot),
    CONSTRAINT fk_tracking_event_label_id FOREIGN KEY(label_id) REFERENCES label (id) ON DELETE CASCADE
);
CREATE INDEX ix_tracking_event_label_id ON tracking_event (label_id);
CREATE INDEX ix_tracking_event_unknown ON tracking_event (code) WHERE state = '';

-- Each entry of the ledger has its two sides, balances follow from its lines, and what is written is never changed.
create function ledger_line_post() returns trigger language plpgsql as $$
begin
  update ledger_account set balance_minor = balance_minor + new.amount_minor where code = new.account
    returning balance_minor into new.balance_after;
  return new;
end $$;
create trigger ledger_line_post before insert on ledger_line for each row execute function ledger_line_post();

create function ledger_entry_balanced() returns trigger language plpgsql as $$
begin
  if (select coalesce(sum(amount_minor), 0) <> 0 or count(*) < 2 from ledger_line where entry_id = new.entry_id) then
    raise exception 'ledger entry % does not balance', new.entry_id using errcode = 'check_violation';
  end if;
  return null;
end $$;
create constraint trigger ledger_entry_balanced after insert on ledger_line
  deferrable initially deferred for each row execute function ledger_entry_balanced();

create function ledger_is_final() returns trigger language plpgsql as $$
begin
  raise exception 'ledger entries are never changed, only reversed' using errcode = 'restrict_violation';
end $$;
create trigger ledger_entry_final before update or delete on ledger_entry
  for each row execute function ledger_is_final();
create trigger ledger_line_final before update or delete on ledger_line
  for each row execute function ledger_is_final();

create function ledger_account_guard() returns trigger language plpgsql as $$
begin
  if pg_trigger_depth() < 2 then
    raise exception 'balances follow from ledger lines alone' using errcode = 'restrict_violation';
  end if;
  return new;
end $$;
create trigger ledger_account_guard before update or delete on ledger_account
  for each row execute function ledger_account_guard();

-- A shipment's state and what the ledger holds for it agree at the end of every transaction.
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
create constraint trigger shipment_is_paid after update of state on shipment
  deferrable initially deferred for each row execute function shipment_is_paid();

insert into ledger_account (code, balance_minor) values
  ('available', 0), ('held', 0), ('postage', 0), ('expected', 0), ('bank', 0), ('owed', 0), ('cover', 0), ('pickups', 0),
  ('claims', 0);
insert into checkout_stamp (id, changes) values (1, 1);
