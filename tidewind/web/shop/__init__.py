"""What is set up once."""

from tidewind.web.shop.routes import carriers, channels, contacts, places, products, screening, settings

ROUTERS = (
    carriers.router,
    channels.router,
    contacts.router,
    places.router,
    products.router,
    screening.router,
    settings.router,
)
