"""The drawing model written as files: SVG, PDF, DXF and PNG; parts lists as CSV and XLSX."""
