"""What a shopper is offered: offers, rate tables, the arithmetic of a price, and which offers a basket gets."""
