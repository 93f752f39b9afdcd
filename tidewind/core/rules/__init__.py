"""Automation rules: conditions over an order's facts, actions on its plan, evaluated once from top to bottom."""
