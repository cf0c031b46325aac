"""The ways into a kiosk: an application, transports of clients, a server, a stand-in for a host."""
