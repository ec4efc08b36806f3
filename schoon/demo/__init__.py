"""The demo production "Harbour Lights": draws Pim, his model sheet and the roughs of two shots."""
