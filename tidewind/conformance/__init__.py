"""Tries of foreign services against the open protocols, by the protocol documents alone."""
