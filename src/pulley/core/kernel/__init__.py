"""Work that the CAD kernel does: in processes of its own, fenced and limited, told and asked by lines of JSON."""
