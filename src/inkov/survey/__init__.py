"""What a person asks to see, as plain rows: VLANs, ports, links, trunks. No judgement here."""
