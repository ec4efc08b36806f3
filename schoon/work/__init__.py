"""What pages, jobs and commands do alike with stored drawings: documents, derived data and edits."""
