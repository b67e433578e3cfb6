"""The interface: one package per step of the work, server-rendered, with htmx for what changes in place."""
