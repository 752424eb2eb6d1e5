package yardage.service.documents;

/** A document by its name, and its newest version. */
public record NamedVersion(String name, int version) {}
