"""The shop's facts, the layers, plans made of them, and what a change to a layer does."""

from tidewind.services.planning.border_book import customs_book, tables_version, written_tables
from tidewind.services.planning.choices import all_choices
from tidewind.services.planning.defaults import (
    ShopDefaults,
    get_shop_defaults,
    orders_touched,
    rehearse_defaults,
    set_shop_defaults,
)
from tidewind.services.planning.facts import all_facts, joined_lines, line_facts
from tidewind.services.planning.home import default_place, home_address
from tidewind.services.planning.plans import (
    count_waiting,
    is_waiting,
    keep_up,
    plan_orders,
    plan_records,
    stored_parcel,
    stored_plan,
    stored_quote,
)
from tidewind.services.planning.precedents import all_precedents, forget_precedent, remember_precedents
from tidewind.services.planning.price_answers import KEPT_FOR, live_answer
from tidewind.services.planning.promises import all_promises, link_promise, rehearse_link
from tidewind.services.planning.punctuality import own_record
from tidewind.services.planning.recipes import (
    all_recipes,
    order_recipes,
    products_with_recipe,
    recipe_from_order,
    remove_recipe,
    save_recipe,
)
from tidewind.services.planning.records import LineRecord, OrderRecord, insert_records
from tidewind.services.planning.rehearsing import Rehearsal, rehearse
from tidewind.services.planning.replanning import (
    go_on_replanning,
    is_done,
    keep_up_due,
    newest_works,
    replan_some,
    replan_waiting,
)
from tidewind.services.planning.rules import (
    current_rules,
    read_or_refuse,
    rehearse_rules,
    restore_rules,
    rule_versions,
    save_rules,
)
from tidewind.services.planning.shop_facts import (
    carriers_in_force,
    closed_days,
    contracts_of,
    core_shop,
    forget_kept,
    screen_of,
    shop_day,
    shop_settings,
)
from tidewind.services.planning.touched import Scope
from tidewind.services.planning.upstream import changes_upstream, concerned_orders, read_changes, waiting_changes

__all__ = [
    "KEPT_FOR",
    "LineRecord",
    "OrderRecord",
    "Rehearsal",
    "Scope",
    "ShopDefaults",
    "all_choices",
    "all_facts",
    "all_precedents",
    "all_promises",
    "all_recipes",
    "carriers_in_force",
    "changes_upstream",
    "closed_days",
    "concerned_orders",
    "contracts_of",
    "core_shop",
    "count_waiting",
    "current_rules",
    "customs_book",
    "default_place",
    "forget_kept",
    "forget_precedent",
    "get_shop_defaults",
    "go_on_replanning",
    "home_address",
    "insert_records",
    "is_done",
    "is_waiting",
    "joined_lines",
    "keep_up",
    "keep_up_due",
    "line_facts",
    "link_promise",
    "live_answer",
    "newest_works",
    "order_recipes",
    "orders_touched",
    "own_record",
    "plan_orders",
    "plan_records",
    "products_with_recipe",
    "read_changes",
    "read_or_refuse",
    "recipe_from_order",
    "rehearse",
    "rehearse_defaults",
    "rehearse_link",
    "rehearse_rules",
    "remember_precedents",
    "remove_recipe",
    "replan_some",
    "replan_waiting",
    "restore_rules",
    "rule_versions",
    "save_recipe",
    "save_rules",
    "screen_of",
    "set_shop_defaults",
    "shop_day",
    "shop_settings",
    "stored_parcel",
    "stored_plan",
    "stored_quote",
    "tables_version",
    "waiting_changes",
    "written_tables",
]
