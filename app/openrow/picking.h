// What is picked from what is there, where a number field's value is a file or a row.
#pragma once

namespace ivrin::app {

class NumberField;
class Session;

/// A menu under the field: what ships and a file of one's own, or the rows of the song. What is picked is entered.
void offerPicks(NumberField* field, Session& session);

} // namespace ivrin::app
