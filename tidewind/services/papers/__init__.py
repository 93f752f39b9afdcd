"""Papers: what stands on them, files of them, printers."""

from tidewind.services.papers.contents import goods_of
from tidewind.services.papers.files import (
    mark_printed,
    print_batch_summary,
    print_interleaved,
    print_invoices,
    print_labels,
    print_pick_list,
    print_pictures,
    print_returns,
    print_slips,
    shipments_in,
    shipments_meant,
    trial_labels,
)
from tidewind.services.papers.printers import (
    PAPERS,
    PrintRequest,
    all_printers,
    change_print,
    print_preferences,
    print_queue,
    send_due_prints,
    send_to_printer,
    set_print_preference,
)

__all__ = [
    "PAPERS",
    "PrintRequest",
    "all_printers",
    "change_print",
    "goods_of",
    "mark_printed",
    "print_batch_summary",
    "print_interleaved",
    "print_invoices",
    "print_labels",
    "print_pick_list",
    "print_pictures",
    "print_preferences",
    "print_queue",
    "print_returns",
    "print_slips",
    "send_due_prints",
    "send_to_printer",
    "set_print_preference",
    "shipments_in",
    "shipments_meant",
    "trial_labels",
]
