"""The product catalogue."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response, UploadFile

from tidewind.services import shop as service
from tidewind.services.shop import bring_in_products, count_stock, find_products, products_file, stock_levels
from tidewind.web.access import Anyone, Now, Parts, Shipper, Tx
from tidewind.web.base.schemas import Changed
from tidewind.web.files import CSV, XLSX, answers_with, download, uploaded
from tidewind.web.shop.schemas.products import BroughtIn, ProductIO, ProductPage, ProductsEdit, ShelfCountIn

router = APIRouter(prefix="/api")
Text = Annotated[str, Query(max_length=120)]


@router.get("/products", tags=["products"])
def list_products(
    _who: Anyone, session: Tx, text: Text = "", after: Text = "", limit: int = 200, missing: bool = False
) -> ProductPage:
    """Return products after a SKU; ``missing`` keeps to those without weight or size."""
    rows, total = find_products(session, text, after, max(limit, 1), missing)
    left = stock_levels(session, [row.sku for row in rows])
    shown = [ProductIO.model_validate(p).model_copy(update={"in_stock": left.get(p.sku)}) for p in rows]
    return ProductPage(products=shown, matching=total, next=rows[-1].sku if len(rows) >= max(limit, 1) else None)


@router.patch("/products", tags=["products"])
def edit_products(body: ProductsEdit, _who: Shipper, session: Tx, now: Now) -> Changed:
    """Change the same fields of one product or many; open orders follow."""
    count = service.edit_products(session, body.skus, body.set.model_dump(exclude_unset=True), now)
    return Changed(orders=count)


@router.put("/products/stock", tags=["products"], status_code=204)
def count(body: ShelfCountIn, _who: Shipper, session: Tx, now: Now) -> None:
    """Keep what was counted on the shelf; channels that sell from it are told within a minute."""
    count_stock(session, body.counted, now)


@router.post("/products/file", tags=["products"])
def products_in(file: UploadFile, _who: Shipper, session: Tx, parts: Parts, now: Now) -> BroughtIn:
    """Bring products in from CSV or XLSX; only columns that are there are changed."""
    made, changed, wrong = bring_in_products(session, *uploaded(file, parts.settings.upload_limit_bytes), now)
    return BroughtIn(made=made, known=changed, odd=wrong)


@router.get("/products/file", tags=["products"], **answers_with(CSV, XLSX))
def products_out(_who: Anyone, session: Tx, kind: Literal["csv", "xlsx"] = "csv") -> Response:
    """Return the whole catalogue as CSV or XLSX."""
    types = {
        "csv": "text/csv; charset=utf-8",
        "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    }
    return download(products_file(session, kind), f"products.{kind}", types[kind])
