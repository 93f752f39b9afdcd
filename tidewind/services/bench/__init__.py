"""The packing bench: orders opened by a scan, items counted down, weighed, bought, printed, photographed."""

from tidewind.services.bench.finishing import finish_packings
from tidewind.services.bench.photos import get_photo, keep_photo, packing_for_photo, photos_in, photos_of
from tidewind.services.bench.scanning import look_at_bench, scan_at_bench, see_bench, weigh_at_bench
from tidewind.services.bench.seen import BenchView, PackedBy, packed_by_person
from tidewind.services.bench.settings import BenchSettings, bench_settings, set_bench_settings
from tidewind.services.bench.sheets import badge_sheet, code_sheet
from tidewind.services.bench.standing import locked_bench

__all__ = [
    "BenchSettings",
    "BenchView",
    "PackedBy",
    "badge_sheet",
    "bench_settings",
    "code_sheet",
    "finish_packings",
    "get_photo",
    "keep_photo",
    "locked_bench",
    "look_at_bench",
    "packed_by_person",
    "packing_for_photo",
    "photos_in",
    "photos_of",
    "scan_at_bench",
    "see_bench",
    "set_bench_settings",
    "weigh_at_bench",
]
