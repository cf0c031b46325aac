"""What an interface says: its members, their signatures, and what each method promises."""
