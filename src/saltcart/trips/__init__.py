"""Trips: waybill, logbook, copying, switching, checking, releasing, undoing."""
