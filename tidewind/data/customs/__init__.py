"""Tables of customs that ship as samples."""
