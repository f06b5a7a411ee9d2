import java.sql.*;
import java.util.*;

/** Asks by JDBC what it is told: values, and what the driver finds in the catalogues. One line for each row. */
public class Ask {
    public static void main(String[] given) throws Exception {
        Properties properties = new Properties();
        properties.setProperty("user", given[1]);
        properties.setProperty("password", given[2]);
        try (Connection connection = DriverManager.getConnection(given[0], properties)) {
            connection.setAutoCommit(false);
            try (PreparedStatement asked = connection.prepareStatement(
                    "select site_id, name, opened from operations.site where site_id < ? and name > ? order by site_id")) {
                for (int times = 0; times < 7; times++) {
                    asked.setInt(1, 12);
                    asked.setString(2, "C");
                    print(times == 6 ? "rows" : null, asked.executeQuery(), 3);
                }
            }
            try (Statement asked = connection.createStatement()) {
                asked.setFetchSize(5);
                print("fetched", asked.executeQuery("select turbine_id from operations.turbine order by 1 limit 12"), 1);
            }
            DatabaseMetaData told = connection.getMetaData();
            print("tables", told.getTables(null, "operations", "site", new String[] {"TABLE"}), 4);
            print("columns", told.getColumns(null, "operations", "site", null), 6);
            print("key", told.getPrimaryKeys(null, "operations", "site"), 6);
            print("links", told.getImportedKeys(null, "operations", "turbine"), 8);
            connection.rollback();
        }
    }

    static void print(String name, ResultSet rows, int columns) throws SQLException {
        while (rows.next()) {
            StringJoiner line = new StringJoiner("|");
            for (int column = 1; column <= columns; column++) line.add(String.valueOf(rows.getObject(column)));
            if (name != null) System.out.println(name + "|" + line);
        }
        rows.close();
    }
}
