"""Papers: what stands on them, files of them, printers."""

from tidewind.services.papers.contents import goods_of, posting_lists
from tidewind.services.papers.files import (
    mark_printed,
    print_batch_summary,
    print_customs,
    print_interleaved,
    print_invoices,
    print_labels,
    print_pick_list,
    print_pictures,
    print_posting_lists,
    print_returns,
    print_slips,
    shipments_in,
    shipments_meant,
    trial_labels,
)
from tidewind.services.papers.manifests import manifest_data, manifest_rows, print_manifest
from tidewind.services.papers.printers import (
    PAPERS,
    add_printer,
    all_printers,
    look_at_printer,
    look_at_printers,
    papers_of,
    print_preferences,
    remove_printer,
    set_print_preference,
)
from tidewind.services.papers.prints import (
    PrintRequest,
    change_print,
    print_queue,
    send_due_prints,
    send_to_printer,
)
from tidewind.services.papers.receipts import mail_receipt
from tidewind.services.papers.take_along import print_take_along

__all__ = [
    "PAPERS",
    "PrintRequest",
    "add_printer",
    "all_printers",
    "change_print",
    "goods_of",
    "look_at_printer",
    "look_at_printers",
    "mail_receipt",
    "manifest_data",
    "manifest_rows",
    "mark_printed",
    "papers_of",
    "posting_lists",
    "print_batch_summary",
    "print_customs",
    "print_interleaved",
    "print_invoices",
    "print_labels",
    "print_manifest",
    "print_pick_list",
    "print_pictures",
    "print_posting_lists",
    "print_preferences",
    "print_queue",
    "print_returns",
    "print_slips",
    "print_take_along",
    "remove_printer",
    "send_due_prints",
    "send_to_printer",
    "set_print_preference",
    "shipments_in",
    "shipments_meant",
    "trial_labels",
]
