/**
 * Who may use the service: the first administrator, sessions of the console, tokens of the client,
 * and the filter that asks for one of them.
 */
package yardage.service.access;
